import docx, io
d = docx.Document()
d.add_heading('Port Halcyon')
b = io.BytesIO(); d.save(b)
print([p.text for p in docx.Document(io.BytesIO(b.getvalue())).paragraphs])
