import altair as alt, pandas as pd
print(alt.Chart(pd.DataFrame({'a': [1], 'b': [2]})).mark_point().encode(x='a', y='b').to_json()[:60])
