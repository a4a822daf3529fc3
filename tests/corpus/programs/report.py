from reportlab.pdfgen import canvas
from reportlab.platypus import SimpleDocTemplate, Paragraph
from reportlab.lib.styles import getSampleStyleSheet
from reportlab.graphics.barcode import code128
import io
b = io.BytesIO()
SimpleDocTemplate(b, invariant=1).build([Paragraph('Port <b>Halcyon</b>', getSampleStyleSheet()['Normal'])])
print(b.getvalue()[:8], code128.Code128('tide').width > 1)
