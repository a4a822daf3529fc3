"""Says what only the interpreter itself knows about where it is and what it finds, as one JSON object."""

import json
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

print(
    json.dumps(
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
            "platform": sys.platform,
            "platlibdir": getattr(sys, "platlibdir", "lib"),
        }
    )
)
