import geopandas as gp
from shapely.geometry import Point
g = gp.GeoDataFrame({'n': ['a']}, geometry=[Point(1, 2)], crs='EPSG:4326')
print(g.to_crs('EPSG:3857').geometry[0].x > 1, g.to_json()[:30])
