import os, tempfile
os.environ["PYLINTHOME"] = tempfile.mkdtemp()
from pylint.lint import Run
from pylint.reporters.text import TextReporter
path = os.path.join(tempfile.mkdtemp(), "a.py")
open(path, "w").write("import os\nx = undefined_name\n")
import io
out = io.StringIO()
Run([path, "--disable=all", "--enable=E,unused-import"], reporter=TextReporter(out), exit=False)
print(out.getvalue().replace(os.path.dirname(path), ""))
