import pandas as pd, tempfile
with tempfile.TemporaryDirectory() as f:
    d = pd.DataFrame({'a': [1, 2]})
    d.to_excel(f + '/t.xlsx')
    print(pd.read_excel(f + '/t.xlsx').a.sum())
    d.to_excel(f + '/u.xlsx', engine='xlsxwriter')
    print(d.to_html()[:20], d.to_markdown() if False else '')
