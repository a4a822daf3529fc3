import numpy as np, statsmodels.api as sm
print(sm.OLS([1, 2, 3.1], sm.add_constant(np.array([1, 2, 3]))).fit().params.round(2))
import statsmodels.formula.api as smf, pandas as pd
print(smf.ols('y ~ x', pd.DataFrame({'x': [1, 2, 3], 'y': [1, 2, 4.]})).fit().params.round(2).to_dict())
