from fontTools.fontBuilder import FontBuilder
from fontTools.ttLib import TTFont
import io
f = FontBuilder(1000, isTTF=True)
f.setupGlyphOrder(['.notdef'])
f.setupCharacterMap({})
f.setupGlyf({'.notdef': __import__('fontTools.ttLib.tables._g_l_y_f', fromlist=['Glyph']).Glyph()})
f.setupHorizontalMetrics({'.notdef': (500, 0)}); f.setupHorizontalHeader(); f.setupOS2(); f.setupPost()
b = io.BytesIO(); f.save(b); b.seek(0)
print(TTFont(b).keys())
