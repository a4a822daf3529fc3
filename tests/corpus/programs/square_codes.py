import io
import qrcode
import qrcode.image.svg
image = qrcode.make("berth 4")
out = io.BytesIO()
image.save(out)
print(len(out.getvalue()) > 300, image.size)
qrcode.make("berth 4", image_factory=qrcode.image.svg.SvgPathImage).save(out)
print(b"<svg" in out.getvalue())
