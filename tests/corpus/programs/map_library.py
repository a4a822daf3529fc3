from osgeo import gdal, ogr, osr
gdal.UseExceptions()
system = osr.SpatialReference()
system.ImportFromEPSG(3763)
print(system.GetName())
memory = gdal.GetDriverByName("MEM").Create("", 4, 3)
memory.SetProjection(system.ExportToWkt())
print(memory.RasterXSize, "PROJCS" in memory.GetProjection(), gdal.GetDriverCount() > 50)
print(ogr.CreateGeometryFromWkt("POINT (1 2)").ExportToJson(), gdal.FindFile("gdal", "gdalvrt.xsd") is not None)
