import pandas as pd
from sqlalchemy import create_engine
e = create_engine('sqlite://')
with e.connect() as c:
    pd.DataFrame({'a': [1, 2]}).to_sql('t', c)
    print(pd.read_sql('select sum(a) as s from t', c))
