import io
import fitz
document = fitz.open()
page = document.new_page()
page.insert_text((72, 72), "High water at noon")
data = document.tobytes()
from pdfminer.high_level import extract_text
print(extract_text(io.BytesIO(data)).strip())
again = fitz.open(stream=data, filetype="pdf")
print(again[0].get_text().strip())
import pikepdf
print(len(pikepdf.open(io.BytesIO(data)).pages))
