"""Compiles source files to code objects.

Reads from standard input, for each file, one line of JSON: [source path, name in tracebacks, optimization level,
module to import first or ""].
Writes to standard output, for each, a byte that says how it went ("c" code, "e" error), the length of what
follows as 8 bytes, least first, and then the marshalled code, or the error as JSON [message, line].
"""

import json
import marshal
import sys
import warnings

warnings.simplefilter("ignore")


def with_first_import(text, module):
    """The source with an import in front of everything but its docstring; line numbers stay."""
    if not module:
        return text
    import ast

    tree = ast.parse(text)
    tree.body.insert(1 if ast.get_docstring(tree) else 0, ast.Import([ast.alias(module)], lineno=1, col_offset=0))
    return ast.fix_missing_locations(tree)


def main():
    out = sys.stdout.buffer
    for line in sys.stdin.buffer:
        path, name, level, first = json.loads(line)
        try:
            with open(path, "rb") as source:
                text = source.read()
            code = compile(with_first_import(text, first), name, "exec", dont_inherit=True, optimize=level)
            kind, content = b"c", marshal.dumps(code)
        except (SyntaxError, ValueError, OSError, RecursionError, MemoryError) as error:
            message = getattr(error, "msg", None) or str(error)
            kind, content = b"e", json.dumps([message, getattr(error, "lineno", 0) or 0]).encode()
        out.write(kind + len(content).to_bytes(8, "little") + content)


main()
