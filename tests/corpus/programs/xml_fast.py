from lxml import etree, html

root = etree.fromstring("<harbour><berth depth='5'/><berth depth='7'/></harbour>")
print(root.xpath("sum(//berth/@depth)"), html.fromstring("<p>a<b>c</b></p>").text_content())
