import pandas as pd, tempfile
with tempfile.TemporaryDirectory() as f:
    d = pd.DataFrame({'a': [1, 2]})
    d.to_hdf(f + '/t.h5', 'k')
    print(pd.read_hdf(f + '/t.h5', 'k').a.sum())
