import os, tempfile
import fiona
import fiona.transform
from fiona.crs import from_epsg
schema = {"geometry": "Point", "properties": {"name": "str"}}
path = os.path.join(tempfile.mkdtemp(), "berths.geojson")
with fiona.open(path, "w", driver="GeoJSON", schema=schema, crs="EPSG:4326") as out:
    out.write({"geometry": {"type": "Point", "coordinates": (1, 2)}, "properties": {"name": "North"}})
with fiona.open(path) as source:
    print(source.crs, [dict(f["properties"]) for f in source])
print(fiona.transform.transform("EPSG:4326", "EPSG:3857", [1], [2]))
