import bz2
import gzip
import io
import lzma
import tarfile
import zipfile
import zlib

data = b"tide " * 100
for module in (bz2, gzip, lzma, zlib):
    print(module.__name__, module.decompress(module.compress(data)) == data)
buffer = io.BytesIO()
with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
    archive.writestr("a", data)
print(zipfile.ZipFile(buffer).namelist(), tarfile.TarInfo("x").name)
