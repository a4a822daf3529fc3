import numpy
import rasterio
from rasterio.io import MemoryFile
from rasterio.transform import from_origin
from rasterio.warp import transform
with MemoryFile() as memory:
    with memory.open(driver="GTiff", width=4, height=3, count=1, dtype="uint8", crs="EPSG:3763", transform=from_origin(0, 0, 1, 1)) as out:
        out.write(numpy.arange(12, dtype="uint8").reshape(1, 3, 4))
    with memory.open() as source:
        print(source.crs, source.read(1).sum(), source.bounds)
print([round(v[0]) for v in transform("EPSG:4326", "EPSG:3857", [1], [2])])
