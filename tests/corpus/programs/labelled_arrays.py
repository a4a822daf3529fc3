import tempfile, os
import numpy
import xarray
data = xarray.Dataset({"height": ("hour", numpy.arange(4.0))}, coords={"hour": [0, 1, 2, 3]})
print(data.height.mean().item(), data.sel(hour=2).height.item())
path = os.path.join(tempfile.mkdtemp(), "tides.nc")
data.to_netcdf(path)
print(xarray.open_dataset(path).height.values)
print(sorted(xarray.backends.list_engines())[:3])
print(len(data._repr_html_()) > 1000)
