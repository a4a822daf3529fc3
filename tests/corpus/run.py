#!/usr/bin/env python3
"""Runs every program of the corpus from source and built, in an empty root, and prints a table.

    tests/corpus/run.py [--program PATH] [--python PATH] [--twice] [NAME ...]

Equal output and exit code are wanted, without an option or note for the program. The modules that the program loads
when it runs from source are compared with those that the trace found. Exit code 0 when all are alike.
"""

import argparse
import filecmp
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile

from empty_root import host_arguments

HERE = os.path.dirname(os.path.abspath(__file__))
ROOT = os.path.dirname(os.path.dirname(HERE))

# Modules that come from a file under their own name: others are made while the program runs.
LOADED = """
import atexit, json, os, sys
before = set(sys.modules)  # also what the path files of the packages import

def from_file(name):
    spec = getattr(sys.modules[name], '__spec__', None)
    return spec is not None and spec.name == name and spec.has_location and os.path.exists(spec.origin)

def write_down():
    names = sorted(name for name in set(sys.modules) if from_file(name))
    found = {'all': len(names), 'by_program': [(name, sys.modules[name].__spec__.origin) for name in names if name not in before]}
    open(sys.argv[0] + '.loaded', 'w').write(json.dumps(found))

atexit.register(write_down)
sys.argv = sys.argv[1:]
sys.path[0] = sys.argv[0].rpartition("/")[0]
main = type(sys)("__main__")
main.__file__ = sys.argv[0]
sys.modules["__main__"] = main
exec(compile(open(sys.argv[0]).read(), sys.argv[0], "exec"), main.__dict__)
"""


def development_tools():
    """What stays out of applications unless they ask for it themselves, and what stands in for parts of it."""
    with open(os.path.join(ROOT, "lore/python/interpreter.toml")) as file:
        names = re.search(r'module = "\*"\nleave_out = \[(.*)\]', file.read()).group(1)
    return {name.strip().strip('"') for name in names.split(",")} | {"_distutils_hack", "_distutils_system_mod"}


DEVELOPMENT_TOOLS = development_tools()


def run(command, folder, environment):
    try:
        done = subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True, timeout=120, stdin=subprocess.DEVNULL)
        return done.returncode, done.stdout, done.stderr
    except subprocess.TimeoutExpired:
        return None, "", "it did not end"


def check(name, options, host, folder):
    source = os.path.join(folder, name + ".py")
    shutil.copy(os.path.join(HERE, "programs", name + ".py"), source)
    environment = {"PATH": "/usr/bin:/bin", "HOME": folder, "LANG": "C.UTF-8", "PYTHONDONTWRITEBYTECODE": "1"}
    from_source = run([options.python, source], folder, environment)
    run([options.python, "-c", LOADED, source], folder, environment)
    built = run([options.program, "build", source, "--runtime", options.python, "--compress", "fast", "-q"], folder, environment)
    if built[0] != 0:
        return False, f"not built: {built[2].strip()}", 0, 0, 0
    output = os.path.join(folder, built[1].strip())
    isolated = ["bwrap", "--unshare-pid", "--unshare-ipc", "--unshare-net", "--die-with-parent", "--clearenv", "--proc", "/proc", "--dev", "/dev", "--tmpfs", "/tmp",
                "--dir", "/home/user", "--setenv", "HOME", "/home/user", "--setenv", "LANG", "C.UTF-8", "--setenv", "PATH", "/nowhere", "--chdir", "/home/user",
                *host, "--ro-bind", output, "/opt/program", "/opt/program"]
    alone = run(isolated, folder, environment)
    loaded = json.load(open(source + ".loaded")) if os.path.exists(source + ".loaded") else {"all": 0, "by_program": []}
    graph = json.load(open(output + ".trace.json"))
    traced = {unit["name"] for unit in graph["units"] if unit["kind"] in ("code", "extension")}
    # Some packages put modules under a second name.
    files = {os.path.realpath(unit["file"]) for unit in graph["units"] if unit.get("file")}
    missing = [name for name, file in loaded["by_program"] if name not in traced and os.path.realpath(file) not in files]
    # What only packages ask for, and do without, stays out on purpose.
    groups = {one["name"] for one in graph["left_out"]} & {name.partition(".")[0] for name in missing}
    tools = DEVELOPMENT_TOOLS & {name.partition(".")[0] for name in missing}
    if groups or tools:
        # What these bring with them is not in the trace either.
        print(f"{'':26} left out: {', '.join(sorted(groups | tools))} ({len(missing)} modules)")
        missing = []
    why = f"not traced: {' '.join(missing[:6])}" if missing else ""
    if alone[0] != from_source[0]:
        why = f"exit code {alone[0]} instead of {from_source[0]}: {alone[2].strip().splitlines()[-1:] or alone[1][-200:]}"
    elif alone[1] != from_source[1]:
        why = "another output"
    if not why and options.twice and not builds_again(source, output, environment, options):
        why = "another build gives other bytes"
    return not why, why, loaded["all"], len(traced), os.path.getsize(output)


def builds_again(source, output, environment, options):
    """Whether a build in another folder, with another store and another number of jobs, gives the same bytes."""
    with tempfile.TemporaryDirectory(prefix="elsewhere ") as folder:
        shutil.copy(source, folder)
        command = [options.program, "build", os.path.basename(source), "--runtime", options.python, "--compress", "fast", "-q", "-j", "1"]
        built = run(command, folder, dict(environment, HOME=folder, TZ="Pacific/Auckland"))
        return built[0] == 0 and filecmp.cmp(os.path.join(folder, built[1].strip()), output, shallow=False)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--program", default=os.path.join(ROOT, "build/release/bin/omnistasis"))
    parser.add_argument("--python", default="/usr/bin/python3")
    parser.add_argument("--twice", action="store_true", help="build each a second time, elsewhere, and compare the bytes")
    parser.add_argument("names", nargs="*", metavar="NAME")
    options = parser.parse_args()
    options.program = os.path.abspath(options.program)
    names = options.names or sorted(file[:-3] for file in os.listdir(os.path.join(HERE, "programs")) if file.endswith(".py"))
    host = host_arguments()
    alike_count = 0
    print(f"{'program':26} {'alike':6} {'size MB':>8} {'loaded':>7} {'traced':>7}  why not")
    for name in names:
        with tempfile.TemporaryDirectory(prefix="omnistasis-corpus-") as folder:
            alike, why, loaded, traced, size = check(name, options, host, folder)
        alike_count += alike
        print(f"{name:26} {'yes' if alike else 'NO':6} {size / 1e6:8.1f} {loaded:7} {traced:7}  {why}", flush=True)
    print(f"{alike_count} passed, {len(names) - alike_count} failed")
    return alike_count != len(names)


sys.exit(main())
