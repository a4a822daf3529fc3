import vtk
cone = vtk.vtkConeSource()
cone.SetResolution(12)
cone.Update()
print(cone.GetOutput().GetNumberOfPoints())
from vtk.util.numpy_support import vtk_to_numpy
print(vtk_to_numpy(cone.GetOutput().GetPoints().GetData()).shape)
