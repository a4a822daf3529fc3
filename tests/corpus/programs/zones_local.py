import os
os.environ["TZ"] = "Europe/Lisbon"
import tzlocal
print(tzlocal.get_localzone())
import markdown2
print(markdown2.markdown("# Tides\n\n* a", extras=["tables", "fenced-code-blocks"]))
