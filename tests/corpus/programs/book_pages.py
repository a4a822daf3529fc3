import os, tempfile
from sphinx.application import Sphinx
folder = tempfile.mkdtemp()
open(os.path.join(folder, "conf.py"), "w").write("project = 'Tides'\nextensions = ['sphinx.ext.autodoc']\n")
open(os.path.join(folder, "index.rst"), "w").write("Tides\n=====\n\n.. code-block:: python\n\n   x = 1\n")
app = Sphinx(folder, folder, folder + "/out", folder + "/trees", "html", status=None, warning=None)
app.build()
print("Tides" in open(folder + "/out/index.html").read(), os.path.exists(folder + "/out/_static/basic.css"))
