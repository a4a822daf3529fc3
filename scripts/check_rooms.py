#!/usr/bin/python3
"""Fails where a file of the core names a language or a processor.

What is known of a language stands in its folder below src/runtimes/, what is known of a system and its processor in
src/support/target_info.cpp. Comments and examples of commands may name any.
"""

import os
import re
import sys

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
LANGUAGES = re.compile(r"python|\"node\"(?!\))|node\.?js|node_modules|\blua\b|\.pyc?\b|\bnpm|pypi|javascript|package\.json|site-packages|__init__|__pycache__|pyproject|\bwheel\b|luarocks", re.I)
PROCESSORS = re.compile(r"x86[_-]64|aarch64|amd64|arm64|linux-gnu|0x8664|0xAA64|EM_X86_64")
# Beside the table: the processor's own instructions, and what a file of a kind looks like.
OF_PROCESSORS = {"src/support/target_info.cpp", "src/native/own_processor.cpp", "launcher/carried_loader.cpp", "launcher/macos/include/sys/types.h"}
EXAMPLE = re.compile(r'"\s*(omnistasis|out/)|omnistasis [a-z-]+ |out/\w+-\w+')


def without_comments(text):
    text = re.sub(r"/\*.*?\*/", lambda m: "\n" * m.group().count("\n"), text, flags=re.S)
    return [re.sub(r"(^|[^:\"'])//.*", r"\1", line) for line in text.split("\n")]


def sources():
    for top in ("src", "launcher"):
        for folder, folders, files in os.walk(os.path.join(ROOT, top)):
            for name in sorted(files):
                if name.endswith((".h", ".cpp")):
                    yield os.path.relpath(os.path.join(folder, name), ROOT)


def main():
    wrong = 0
    for file in sorted(sources()):
        with open(os.path.join(ROOT, file), encoding="utf-8") as source:
            lines = without_comments(source.read())
        for number, line in enumerate(lines, 1):
            if EXAMPLE.search(line):
                continue
            for what, pattern, is_place in (("a language", LANGUAGES, file.startswith("src/runtimes/")), ("a processor", PROCESSORS, file in OF_PROCESSORS)):
                found = None if is_place else pattern.search(line)
                if found:
                    wrong += 1
                    print(f"{file}:{number}: names {what}: {found.group()}\n    {line.strip()}")
    if wrong:
        print(f"{wrong} lines: languages belong to src/runtimes/, processors to src/support/target_info.cpp")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
