import netCDF4, tempfile
with tempfile.TemporaryDirectory() as f:
    with netCDF4.Dataset(f + '/t.nc', 'w') as d:
        d.createDimension('x', 3)
        v = d.createVariable('x', 'f4', ('x',))
        v[:] = [1, 2, 3]
        v.units = 'hours since 2031-01-01'
        print(netCDF4.num2date(v[:], v.units)[0])
