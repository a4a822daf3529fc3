from mypy import api
import tempfile, os
folder = tempfile.mkdtemp()
os.chdir(folder)
open("a.py", "w").write("x: int = 'a'\n")
out, error, code = api.run(["a.py", "--cache-dir", folder, "--no-error-summary"])
print(out.replace(folder, ""), error, code)
