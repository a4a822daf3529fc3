"""Sketches what modules ask for that are there as bytecode alone: a source that asks for the same.

Reads from standard input the paths of bytecode files, each ended by a zero byte.
Writes to standard output, for each, the length of its sketch as 8 bytes, least first, and then the sketch: imports, names
that are taken, calls with one text, texts. It is empty where the file is no bytecode of this interpreter.
"""

import dis
import importlib.util
import marshal
import sys

CODE = type((lambda: 0).__code__)
PASSED = {"CACHE", "NOP", "EXTENDED_ARG", "PUSH_NULL", "PRECALL", "KW_NAMES", "RESUME"}
ATTRIBUTES = {"LOAD_ATTR", "LOAD_METHOD"}
NAMES = ATTRIBUTES | {"LOAD_NAME", "LOAD_GLOBAL", "LOAD_FROM_DICT_OR_GLOBALS"}
IMPORT = dis.opmap["IMPORT_NAME"]
# What is called with the name of something that an application needs.
ASKING = set(
    "import_module __import__ CDLL PyDLL WinDLL OleDLL LoadLibrary find_library open lookup entry_points"
    " version metadata distribution files get_data run Popen".split()
)
CALLS = {"CALL", "CALL_FUNCTION", "CALL_METHOD"}


def texts_in(constant):
    if isinstance(constant, str):
        yield constant
    elif isinstance(constant, (tuple, frozenset)):
        for one in constant if isinstance(constant, tuple) else sorted(map(str, constant)):
            yield from texts_in(one)


def import_of(module, level, wanted):
    if not level and not wanted:
        return "import " + module
    return "from %s import %s" % ("." * level + module, ", ".join(wanted or ("*",)))


def of_instructions(code, lines):
    """Imports, and calls with one text."""
    before = []
    for one in dis.get_instructions(code):
        if one.opname in PASSED:
            continue
        if one.opname == "IMPORT_NAME" and len(before) > 1:
            level, wanted = before[-2].argval, before[-1].argval
            if isinstance(level, int) and not (code.co_flags & 1 and wanted and "*" in wanted):
                lines["try:\n    %s\nexcept ImportError:\n    pass" % import_of(one.argval, level, wanted)] = None
        elif one.opname in CALLS and one.arg == 1 and len(before) > 1 and isinstance(before[-1].argval, str):
            if before[-1].opname == "LOAD_CONST" and before[-2].opname in NAMES:
                start = "_." if before[-2].opname in ATTRIBUTES else ""
                lines["%s%s(%r)" % (start, before[-2].argval, before[-1].argval)] = None
        before = before[-1:] + [one]


def lines_of(code):
    """The lines of a module's, a class's or a function's body, without indentation."""
    in_function = bool(code.co_flags & 1)
    lines = {"_.%s" % name: None for name in code.co_names if name.isidentifier()}
    # To take instructions apart takes long.
    if IMPORT in code.co_code[::2] or not ASKING.isdisjoint(code.co_names):
        of_instructions(code, lines)
    constants = code.co_consts[1:] if in_function else code.co_consts
    for constant in constants:
        for text in texts_in(constant):
            lines["_ = %r" % text] = None
    for constant in code.co_consts:
        if isinstance(constant, CODE):
            kind = "def %s():" if constant.co_flags & 1 else "class %s:"
            name = constant.co_name if constant.co_name.isidentifier() else "_"
            inner = [line for part in lines_of(constant) for line in part.split("\n")]
            lines["\n".join([kind % name, *("    " + line for line in inner or ["pass"])])] = None
    return list(lines)


def sketch(path):
    try:
        with open(path, "rb") as file:
            content = file.read()
        if content[:4] != importlib.util.MAGIC_NUMBER:
            return ""
        return "\n".join(lines_of(marshal.loads(memoryview(content)[16:]))) + "\n"
    except (OSError, ValueError, EOFError, TypeError):
        return ""


def main():
    for path in sys.stdin.buffer.read().split(b"\0")[:-1]:
        text = sketch(path.decode("utf-8", "surrogateescape")).encode("utf-8", "backslashreplace")
        sys.stdout.buffer.write(len(text).to_bytes(8, "little") + text)


main()
