import dask.array as da, dask
print(da.ones((10, 10), chunks=5).sum().compute(), dask.config.get('scheduler', None))
import dask.dataframe as dd, pandas as pd
print(dd.from_pandas(pd.DataFrame({'a': [1, 2]}), npartitions=1).a.sum().compute())
