#!/usr/bin/env python3
"""Compares what `omnistasis inspect` says of native files with what this machine's dynamic loader resolves.

    scripts/compare_with_loader.py [--program PATH] [FOLDER ...]      (default: /usr/bin /usr/lib)

Every ELF file of this machine's architecture with a dynamic section is asked for once. Prints how many were compared,
how many differ, and how long each of both took. Exit code 0 when none differs.
"""

import argparse
import json
import os
import re
import statistics
import subprocess
import sys
import time

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
LOADER = "/lib64/ld-linux-x86-64.so.2"


def ask_loader(file):
    """Names and paths as the loader lists them where it is told to list only, its exit code, and all that it says."""
    done = subprocess.run([LOADER, file], env={**os.environ, "LD_TRACE_LOADED_OBJECTS": "1"}, capture_output=True, text=True, errors="surrogateescape")
    found = {}
    for line in done.stdout.splitlines():
        match = re.match(r"\t(\S+) => (not found|\S+)(?: \(0x[0-9a-f]+\))?$", line)
        if match:
            found[match.group(1)] = match.group(2)
    return found, done.returncode, done.stdout + done.stderr


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--program", default=os.path.join(ROOT, "build/release/bin/omnistasis"))
    parser.add_argument("folders", nargs="*", default=["/usr/bin", "/usr/lib"], metavar="FOLDER")
    options = parser.parse_args()
    compared = differing = refused = 0
    ours_took = {"": 0.0, "-v": 0.0}
    loader_took = 0.0
    for folder in options.folders:
        done = subprocess.run([options.program, "inspect", "--json", folder], capture_output=True, check=True)
        runs = {"": [], "-v": []}
        for how in ["", "-v"] * 5:
            start = time.monotonic()
            subprocess.run([options.program, "inspect", *how.split(), folder], capture_output=True, check=True)
            runs[how].append(time.monotonic() - start)
        for how, took in runs.items():
            ours_took[how] += statistics.median(took)
        for one in json.loads(done.stdout)["files"]:
            elf = one.get("elf", {})
            if elf.get("architecture") != "x86-64" or elf["bits"] != 64 or "loads" not in elf:
                continue
            if elf["kind"] not in ("program", "fixed program", "library"):
                continue
            start = time.monotonic()
            theirs, code, text = ask_loader(one["file"])
            loader_took += time.monotonic() - start
            if code != 0 and not theirs:
                refused += 1  # statically linked, or nothing that the loader loads
                continue
            # Of a name that is a path, the loader tells the path alone.
            ours = {load["name"]: load["file"] for load in elf["loads"] if "/" not in load["name"]}
            ours.update({missing["name"]: "not found" for missing in elf["not_found"]})
            for found in (ours, theirs):
                for name in [name for name in found if name.startswith(("ld-linux", "linux-vdso")) or name == LOADER]:
                    del found[name]
            compared += 1
            if ours != theirs:
                differing += 1
                only = {name: (ours.get(name), theirs.get(name)) for name in set(ours) | set(theirs) if ours.get(name) != theirs.get(name)}
                print(f"{one['file']}: {only}")
    print(f"{compared} files compared, {differing} differ; {refused} the loader does not list")
    for how, words in {"": "whole folders", "-v": "the same with every file printed"}.items():
        took = ours_took[how]
        print(f"{words}: {took:.2f} s (middle of five); the loader, file by file: {loader_took:.2f} s: {loader_took / took:.1f} times as long")
    return differing != 0


sys.exit(main())
