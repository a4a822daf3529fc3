import pandas

frame = pandas.DataFrame({"berth": ["A", "B", "A"], "draught": [5.1, 7.2, 6.3]})
print(frame.groupby("berth").mean())
print(frame.to_csv(index=False))
