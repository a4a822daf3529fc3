import h5py, os, tempfile
with tempfile.TemporaryDirectory() as f:
    with h5py.File(f + '/t.h5', 'w') as h:
        h.create_dataset('tide', data=[1, 2, 3], compression='gzip')
    with h5py.File(f + '/t.h5') as h:
        print(h['tide'][:].tolist())
