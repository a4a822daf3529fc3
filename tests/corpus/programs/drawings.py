import io
import ezdxf
drawing = ezdxf.new("R2010", setup=True)
drawing.modelspace().add_line((0, 0), (3, 4), dxfattribs={"layer": "0"})
out = io.StringIO()
drawing.write(out)
print(len(out.getvalue()) > 1000, len(drawing.linetypes) > 5)
