import docutils.core
import markdown

print(markdown.markdown("# Tides\n\n* high\n* low", extensions=["tables", "toc"]))
print(docutils.core.publish_string("Tides\n=====\n\n*high*", writer_name="html")[:14])
