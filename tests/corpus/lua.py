#!/usr/bin/env python3
"""Builds programs in Lua and runs them in an empty root, as one file and as a folder, against the same from source.

    tests/corpus/lua.py [--program PATH] [NAME ...]

Needs bubblewrap, busybox-static and Debian's interpreters and packages:

    lua5.4 lua5.3 lua5.2 lua5.1 luajit luarocks lua-check lua-busted lua-ldoc lua-penlight lua-filesystem lua-lpeg lua-socket
    lua-cjson lua-dkjson lua-expat lua-posix lua-argparse lua-inspect lua-zlib lua-sql-sqlite3 lua-yaml lua-luaossl lua-bitop

The paths that a program tells differ; they are masked.
"""

import argparse
import os
import re
import shutil
import subprocess
import sys
import tempfile

from empty_root import host_arguments

HERE = os.path.dirname(os.path.abspath(__file__))
SPEC = 'describe("tide", function() it("rises", function() assert.are.equal(1, 1) end) it("falls", function() assert.are.equal(2, 1) end) end)\n'
MODULE = "--- Tides.\n-- @module tides\nlocal tides = {}\n--- The height.\n-- @param hour of the day\nfunction tides.height(hour) return hour end\nreturn tides\n"

# Name, entry, interpreters, arguments, files in the folder that it runs in.
PROGRAMS = [
    ("csv_table", "csv_table.lua", ["lua5.4", "lua5.1", "luajit"], [], {}),
    ("json", "json.lua", ["lua5.4", "lua5.3", "lua5.2", "lua5.1", "luajit"], [], {}),
    ("grammar", "grammar.lua", ["lua5.4", "lua5.3", "lua5.2", "lua5.1", "luajit"], [], {}),
    ("sockets", "sockets.lua", ["lua5.4", "lua5.1"], [], {}),
    ("xml", "xml.lua", ["lua5.4", "luajit"], [], {}),
    ("database", "database.lua", ["lua5.4", "lua5.1"], [], {}),
    ("port_list", "port_list.lua", ["lua5.4", "lua5.3"], [], {}),
    ("packed", "packed.lua", ["lua5.3", "lua5.1"], [], {}),
    ("system", "system.lua", ["lua5.3", "lua5.1"], [], {}),
    ("digest", "digest.lua", ["lua5.4"], [], {}),
    ("options", "options.lua", ["lua5.4", "lua5.1"], ["12", "-v"], {}),
    ("options that are wrong", "options.lua", ["lua5.4"], ["--lamp"], {}),
    ("native_calls", "native_calls.lua", ["luajit"], [], {}),
    ("plugins", "plugins/main.lua", ["lua5.4", "lua5.3", "lua5.2", "lua5.1", "luajit"], [], {}),
    ("lamps", "lamps/main.lua", ["lua5.4", "lua5.3", "lua5.2", "lua5.1", "luajit"], [], {}),
    ("again", "again.lua", ["lua5.4", "lua5.1", "luajit"], [], {}),
    # Programs that others wrote, as Debian installs them.
    ("linter", "/usr/bin/luacheck", [""], ["tides.lua", "--no-color"], {"tides.lua": "local unused = 1\nfunction height(hour) return hours end\n"}),
    ("test runner", "/usr/bin/busted", [""], ["-o", "TAP", "tide_spec.lua"], {"tide_spec.lua": SPEC}),
    ("documents", "/usr/bin/ldoc", [""], ["--fatalwarnings", "-f", "plain", "--dir", "pages", "tides.lua"], {"tides.lua": MODULE}),
    ("package manager", "/usr/bin/luarocks", [""], ["list", "--porcelain", "--tree", "none"], {}),
]


def masked(text, places):
    for place in places:
        text = text.replace(place, "<>")
    text = re.sub(r"(\.\.\.)?[^\s:\"']*/(app|share/lua/[0-9.]+|lib/lua/[0-9.]+|bin)/", "<>/", text)
    text = re.sub(r"\.\.\.[^\s:]*/", "<>/", text)
    text = text.replace("<>/its source/", "<>/").replace("/opt/its output/", "<>/")
    text = re.sub(r"^(<>/[-\w. ]+|lua[.\d]*|luajit): ", "<program>: ", text)
    text = re.sub(r"0x[0-9a-f]+", "<address>", text)
    text = re.sub(r"\d+\.\d+(e-\d+)? seconds?|\d+\.\d+ ms", "<time>", text)
    # A start that hands on adds a line to the traceback.
    return re.sub(r"\n\t\(\.*tail calls?\.*\)(: \?)?|\n\t\[C\]: [^\n]*", "", text)


def written(folder):
    found = {}
    for root, _, names in os.walk(folder):
        for name in names:
            path = os.path.join(root, name)
            with open(path, "rb") as file:
                found[os.path.relpath(path, folder)] = re.sub(rb"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d", b"<time>", file.read())
    return found


def observed(command, folder, files, variables):
    with tempfile.TemporaryDirectory(prefix="omnistasis-lua-") as work:
        for place, content in files.items():
            with open(os.path.join(work, place), "w") as file:
                file.write(content)
        command = [part.replace("{work}", work) for part in command]
        done = subprocess.run(command, cwd=work, env={**variables, "HOME": work}, stdin=subprocess.DEVNULL, capture_output=True, text=True, timeout=120)
        places = [work, folder + "/its source", folder, "/opt/its output"]
        return done.returncode, masked(done.stdout, places), masked(done.stderr, places), written(work)


def run(name, entry, interpreter, arguments, files, options, host):
    variables = {"PATH": "/usr/bin:/bin", "LANG": "C.UTF-8"}
    with tempfile.TemporaryDirectory(prefix="omnistasis-lua-") as folder:
        source = entry
        if not entry.startswith("/"):
            # With a space in it, and gone when the built one runs.
            project = os.path.join(folder, "its source")
            shutil.copytree(os.path.join(HERE, "lua", os.path.dirname(entry)), project)
            source = os.path.join(project, os.path.basename(entry))
        wanted = observed([*([interpreter] if interpreter else []), source, *arguments], folder, files, variables)
        for form in ("file", "folder"):
            out = os.path.join(folder, "out " + form)
            command = [options.program, "build", source, "-q", "--name", "frozen", "--form", form, "--out", out]
            if interpreter:
                command += ["--runtime", interpreter]
            built = subprocess.run(command, env={**variables, "HOME": os.environ["HOME"]}, capture_output=True, text=True)
            if built.returncode != 0:
                return f"does not build: {built.stderr}"
            frozen = "/opt/its output/frozen" + ("/frozen" if form == "folder" else "")
            isolated = ["bwrap", "--unshare-all", "--die-with-parent", "--proc", "/proc", "--dev", "/dev", "--tmpfs", "/tmp", *host,
                        "--bind", "{work}", "{work}", "--chdir", "{work}", "--ro-bind", out, "/opt/its output", "--ro-bind", "/bin/busybox", "/bin/sh"]
            for program in ("mkdir", "uname", "ls", "rm", "id"):
                isolated += ["--ro-bind", "/bin/busybox", "/bin/" + program]
            seen = observed([*isolated, frozen, *arguments], folder, files, variables)
            seen = (*seen[:3], {place: text for place, text in seen[3].items() if not place.startswith(".cache/omnistasis/")})
            if seen != wanted:
                return f"{form}\n    from source {wanted}\n    built       {seen}"
    return ""


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--program", default=os.path.join(HERE, "../../build/release/bin/omnistasis"))
    parser.add_argument("names", nargs="*")
    options = parser.parse_args()
    options.program = os.path.abspath(options.program)
    host = host_arguments()
    failed = count = 0
    for name, entry, interpreters, arguments, files in PROGRAMS:
        if options.names and not any(one in name for one in options.names):
            continue
        for interpreter in interpreters:
            wrong = run(name, entry, interpreter, arguments, files, options, host)
            failed += wrong != ""
            count += 1
            print(f"{name:26} {interpreter:8} {'alike' if not wrong else wrong}", flush=True)
    print(f"{count - failed} of {count} alike")
    return 1 if failed else 0


sys.exit(main())
