import pyproj
t = pyproj.Transformer.from_crs('EPSG:4326', 'EPSG:3857')
print([round(v) for v in t.transform(10, 20)], pyproj.CRS('EPSG:4326').name, pyproj.Geod(ellps='WGS84').inv(0, 0, 1, 1)[2] > 1)
