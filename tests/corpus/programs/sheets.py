import openpyxl, io
w = openpyxl.Workbook()
w.active.append(['Petrel', 3])
b = io.BytesIO(); w.save(b)
print(openpyxl.load_workbook(io.BytesIO(b.getvalue())).active['A1'].value)
