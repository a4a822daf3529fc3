"""Compiles source files to code objects.

Reads from standard input, for each file, three fields, each ended by a zero byte: source path, name in tracebacks,
optimization level.
Writes to standard output, for each, a byte that says how it went ("c" code, "e" error), the length of what
follows as 8 bytes, least first, and then the marshalled code, or the error's line, a zero byte and its message.

It starts for a single changed file too: nothing is imported that takes longer than such a file.
"""

import marshal
import sys
import warnings

warnings.simplefilter("ignore")


def main():
    out = sys.stdout.buffer
    fields = sys.stdin.buffer.read().split(b"\0")
    for i in range(0, len(fields) - 2, 3):
        path, name, level = (field.decode("utf-8", "surrogateescape") for field in fields[i : i + 3])
        try:
            with open(path, "rb") as source:
                text = source.read()
            code = compile(text, name, "exec", dont_inherit=True, optimize=int(level))
            kind, content = b"c", marshal.dumps(code)
        except (SyntaxError, ValueError, OSError, RecursionError, MemoryError) as error:
            message = getattr(error, "msg", None) or str(error) or type(error).__name__
            content = f"{getattr(error, 'lineno', 0) or 0}\0{message}".encode("utf-8", "backslashreplace")
            kind = b"e"
        out.write(kind + len(content).to_bytes(8, "little") + content)


main()
