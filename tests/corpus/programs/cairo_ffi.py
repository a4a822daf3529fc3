import cairocffi
s = cairocffi.ImageSurface(cairocffi.FORMAT_ARGB32, 20, 20)
c = cairocffi.Context(s)
c.set_font_size(8)
c.paint()
print(s.get_width(), cairocffi.cairo_version() > 11000)
