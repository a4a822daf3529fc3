import io
from xhtml2pdf import pisa
out = io.BytesIO()
print(pisa.CreatePDF("<h1>Tides</h1><p>High water</p>", dest=out).err, out.getvalue()[:5])
