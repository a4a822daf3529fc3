import xml.dom.minidom
import xml.etree.ElementTree as tree
import xml.sax

print(tree.fromstring("<a><b>1</b></a>").find("b").text, xml.dom.minidom.parseString("<a/>").documentElement.tagName)
xml.sax.parseString(b"<a/>", xml.sax.ContentHandler())
