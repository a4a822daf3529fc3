import io

from PIL import Image, ImageDraw

image = Image.new("RGB", (32, 32), "navy")
ImageDraw.Draw(image).ellipse((4, 4, 28, 28), fill="gold")
for kind in ("PNG", "JPEG", "GIF", "BMP"):
    out = io.BytesIO()
    image.save(out, kind)
    print(kind, Image.open(io.BytesIO(out.getvalue())).size)
