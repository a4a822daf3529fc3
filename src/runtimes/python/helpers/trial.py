"""Imports modules of packages, one after the other, and says what each of them loads.

The standard input holds one JSON object: `path`, the folders that modules come from; `modules`, the names; `without`,
top-level modules that are not there. The answer is one JSON object a line on the standard output, written as soon as a
module is done: its name, what was loaded meanwhile (module and file), the files that were opened below those folders,
and the libraries that were mapped. What the modules themselves print goes nowhere.
"""

import json
import os
import resource
import sys

MEMORY = 6 << 30  # bytes
FILE = 64 << 20
SECONDS = 90  # of the processor


def bound(what, limit):
    try:
        resource.setrlimit(what, (limit, limit))
    except (OSError, ValueError):
        pass


def answer_stream():
    """The standard output for us alone; everybody else's goes nowhere."""
    answer = os.fdopen(os.dup(1), "w")
    nowhere = os.open(os.devnull, os.O_RDWR)
    for stream in (0, 1, 2):
        os.dup2(nowhere, stream)
    return answer


def mapped_libraries():
    files = set()
    with open("/proc/self/maps") as maps:
        for line in maps:
            file = line[line.find("/") :].rstrip("\n") if "/" in line else ""
            if ".so" in file:
                files.add(file)
    return files


class Absent:
    """Finds some modules nowhere."""

    def __init__(self, names):
        self.names = frozenset(names)

    def find_spec(self, name, path=None, target=None):
        if name.partition(".")[0] in self.names:
            raise ModuleNotFoundError("No module named %r" % name, name=name)


def main():
    task = json.load(sys.stdin)
    answer = answer_stream()
    for what, limit in ((resource.RLIMIT_DATA, MEMORY), (resource.RLIMIT_FSIZE, FILE), (resource.RLIMIT_CPU, SECONDS), (resource.RLIMIT_CORE, 0)):
        bound(what, limit)
    own = sys.path.pop(0)  # this file's folder
    sys.path[:] = task["path"]
    sys.path_importer_cache.pop(own, None)
    sys.dont_write_bytecode = True
    sys.argv[:] = [""]
    roots = tuple(folder + "/" for folder in task["path"])
    opened = set()

    def note(event, details):
        if event == "open" and details and isinstance(details[0], str):
            mode = details[1]
            # What the import system opens, it loads.
            by_import = sys._getframe(1).f_code.co_filename.startswith("<frozen importlib")
            if not by_import and details[0].startswith(roots) and not (isinstance(mode, str) and set(mode) & set("wax+")):
                opened.add(details[0])

    sys.meta_path.insert(0, Absent(task["without"]))
    sys.addaudithook(note)
    known = {name: None for name in sys.modules}
    libraries = mapped_libraries()
    for name in task["modules"]:
        opened.clear()
        error = ""
        try:
            __import__(name)
        except BaseException as raised:  # a module may well end the program
            error = "%s: %s" % (type(raised).__name__, raised)
        loaded = []
        for module, value in list(sys.modules.items()):
            if module in known:
                continue
            known[module] = None
            spec = getattr(value, "__spec__", None)
            file = getattr(spec, "origin", None) or getattr(value, "__file__", None)
            loaded.append([str(module), str(file or "")])
        now = mapped_libraries()
        answer.write(json.dumps({"module": name, "error": error[:300], "loaded": loaded, "opened": sorted(opened), "libraries": sorted(now - libraries)}) + "\n")
        answer.flush()
        libraries |= now
    answer.close()
    os._exit(0)  # threads and exit handlers of the modules are not waited for


main()
