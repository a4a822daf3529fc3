import nbformat
from nbconvert import HTMLExporter, MarkdownExporter
book = nbformat.v4.new_notebook(cells=[nbformat.v4.new_markdown_cell("# Tides"), nbformat.v4.new_code_cell("1 + 1")])
text, _ = MarkdownExporter().from_notebook_node(book)
print(text)
page, _ = HTMLExporter().from_notebook_node(book)
print("Tides" in page, len(page) > 100000)
