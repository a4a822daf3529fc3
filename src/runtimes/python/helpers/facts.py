"""Says what only the interpreter itself knows about where it is and what it finds, as one JSON object.

The argument is the application's entry point: whether it compiles is one of the facts.
"""

import os
import sys
import sysconfig

try:
    import _imp

    magic = __import__("_frozen_importlib_external").MAGIC_NUMBER.hex()
    frozen = sorted(getattr(_imp, "_frozen_module_names", lambda: [])())
except ImportError:
    magic, frozen = "", []

from encodings import aliases
from importlib import machinery


def editable_modules():
    """Top-level modules that a finder of an editable installation maps to folders elsewhere."""
    found = {}
    for finder in sys.meta_path:
        module = sys.modules.get(getattr(finder, "__module__", ""))
        mapping = getattr(module, "MAPPING", None)
        if isinstance(mapping, dict):
            found.update({str(name): str(path) for name, path in mapping.items()})
    return found


try:
    program = os.readlink("/proc/self/exe")
except OSError:
    program = os.path.realpath(sys.executable)

def entry_error(path):
    """Why a source file can't be compiled: message and line; nothing where it can."""
    try:
        with open(path, "rb") as source:
            compile(source.read(), path, "exec", dont_inherit=True)
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        return [getattr(error, "msg", None) or str(error), getattr(error, "lineno", 0) or 0]
    except OSError:
        pass
    return []


def encoded(value):
    """JSON, in bytes: the json module takes longer to import than all of this takes to run."""
    if isinstance(value, str):
        quoted = "".join(
            "\\u%04x" % ord(c) if c < " " else "\\" + c if c in '"\\' else c for c in value
        )
        return b'"' + os.fsencode(quoted) + b'"'
    if isinstance(value, int):
        return b"%d" % value
    if isinstance(value, dict):
        pairs = [encoded(key) + b": " + encoded(item) for key, item in value.items()]
        return b"{" + b", ".join(pairs) + b"}"
    return b"[" + b", ".join(map(encoded, value)) + b"]"


sys.stdout.buffer.write(
    encoded(
        {
            "version": list(sys.version_info[:3]),
            "release": sys.version_info[3],
            "magic": magic,
            "program": program,
            "executable": sys.executable,
            "prefix": sys.prefix,
            "base_prefix": sys.base_prefix,
            "standard_library": sysconfig.get_path("stdlib"),
            "platform_library": sysconfig.get_path("platstdlib"),
            "extension_suffixes": machinery.EXTENSION_SUFFIXES,
            "built_in": sorted(sys.builtin_module_names),
            "frozen": frozen,
            "search_path": [os.path.abspath(entry) for entry in sys.path if entry],
            "editable": editable_modules(),
            "codecs": aliases.aliases,
            "build_data": getattr(sysconfig, "_get_sysconfigdata_name", lambda: "")(),
            "entry_error": entry_error(sys.argv[1]),
            "platform": sys.platform,
            "platlibdir": getattr(sys, "platlibdir", "lib"),
        }
    )
)
