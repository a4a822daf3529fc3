#!/usr/bin/python3
"""Builds the Python programs of a sweep for another system, with no option, and compares a run under Wine or an emulator
with one of that system's own Python on the source; for macOS, looks at the structure of what was built.

    tests/corpus/elsewhere.py LIST [--target T] [--program PATH] [--work FOLDER] [--again] [NAME ...]

LIST is a file in tests/corpus/sweeps/; its programs for Node.js, for Debian's packages and with windows are passed over.
The runtime is the stock's. What Wine itself can't do fails from source too, and is told as skipped, with the reason.
Exit code 0 when all others are alike.
"""

import argparse
import glob
import json
import os
import re
import shutil
import sys
import time
import tomllib

import sweep

# Versions of packages that Wine 8 has the functions for.
FOR_WINE = """numpy<2.1
pandas<2.3
scipy<1.14
matplotlib<3.10
contourpy==1.3.0
cryptography<43
PyQt5<5.16
"""


def windows_path(path):
    return "Z:" + path.replace("/", "\\")


class Wine:
    target = "windows-x86_64"

    def __init__(self, options):
        prefix = os.path.join(options.work, "wine")
        self.variables = {"WINEPREFIX": prefix, "WINEDLLOVERRIDES": "winedbg.exe=d;wbemprox=d", "WINEDEBUG": "-all"}
        # What proofs bring and take out too (src/watch/wine.cpp).
        added = os.path.join(os.path.dirname(os.path.dirname(options.program)), "share/omnistasis/wine")
        sweep.run(["wineboot", "-i"], "/tmp", dict(sweep.VARIABLES, HOME=os.environ.get("HOME", "/root"), **self.variables), 300)
        system = os.path.join(prefix, "drive_c/windows/system32")
        for name in os.listdir(added):
            shutil.copy(os.path.join(added, name), system)
        shutil.rmtree(os.path.join(system, "spool/drivers/color"), ignore_errors=True)

    def built(self, output):
        return ["wine", output]

    def source(self, runtime, environment, subject):
        # Path files count too, as where the packages are installed.
        start = os.path.join(self.variables["WINEPREFIX"], "drive_c/start")
        os.makedirs(start, exist_ok=True)
        with open(os.path.join(start, "sitecustomize.py"), "w") as file:
            file.write("import os, site\nsite.addsitedir(os.environ['PACKAGES_FROM'])\n")
        variables = {"PYTHONPATH": "C:\\start", "PACKAGES_FROM": windows_path(environment + "/Lib/site-packages")} if environment else {}
        return ["wine", os.path.join(runtime, "python.exe"), windows_path(subject.entry)], variables


class Emulator:
    target = "linux-aarch64"

    def __init__(self, options):
        self.variables = {}
        self.system = ""

    def built(self, output):
        """Without the kernel's help the emulated launcher can't start the emulated program: it unpacks that, and says where."""
        first = sweep.run(["qemu-aarch64-static", output], "/tmp", dict(sweep.VARIABLES, HOME=os.environ.get("HOME", "/root")))
        program = re.search(r"can't start (\S+): ", first[2]).group(1)
        tree = program.rpartition("/bin/")[0]
        return ["qemu-aarch64-static", "-L", self.system, program, "-E", "-s", "-S", tree + "/lib/python3.11/_omnistasis_main.pyc", output]

    def source(self, runtime, environment, subject):
        self.system = os.path.dirname(runtime)
        variables = {"PYTHONPATH": environment + "/lib/python3.11/site-packages"} if environment else {}
        return ["qemu-aarch64-static", "-L", os.path.dirname(runtime), os.path.join(runtime, "bin/python3.11"), subject.entry], variables


class Structure:
    """Nothing here runs programs of macOS: their bundles are proved by their structure."""

    source = None

    def __init__(self, options):
        self.variables = {}
        self.target = options.target

    def proof(self, program, output, variables):
        result = sweep.run([program, "prove", output, "--json"], "/tmp", variables, 300)
        try:
            findings = json.loads(result[1])["runs"][0]["findings"]
        except ValueError:
            return result[2].strip()[-300:] or "no proof"
        return "; ".join(f"{one['kind']} {one['what']} {one.get('advice', '')}" for one in findings if one["fails"])[:400]


def plain(text, ignored):
    """Output without what differs by nature: paths, addresses."""
    text = text.replace("\r\n", "\n")
    text = re.sub(r"0x[0-9A-Fa-f]{6,}", "0x", text)
    text = re.sub(r"([A-Za-z]:)?[\\/][^\s'\"<>|:]*[\\/]", "PATH/", text)
    text = re.sub(r"[\w.-]+\.exe\b", "PROGRAM", text)
    for pattern in ignored:
        text = re.sub(pattern, "", text)
    return text


def difference(program, source, built, files):
    was, now = ([plain(text, program.get("ignore", [])) for text in streams[1:]] for streams in (source, built))
    if built[0] != source[0]:
        return f"exit code {built[0]} instead of {source[0]}: {' | '.join((built[2].strip() or built[1].strip()).splitlines()[-3:])[-400:]}"
    if was[0] != now[0] and not program.get("any_output"):
        differ = next(((a, b) for a, b in zip(was[0].splitlines() + [""], now[0].splitlines() + [""]) if a != b), ("", ""))
        return f"another output: {differ[1]!r} instead of {differ[0]!r} {now[1].strip()[-300:]}"
    if program.get("same_files", True) and sorted(files[0]) != sorted(files[1]):
        return f"other files: {sorted(set(files[0]) ^ set(files[1]))[:5]}"
    return ""


def check(program, options, system):
    result = {"alike": False, "skipped": False, "size": 0, "seconds": 0.0, "cause": ""}
    environment, failed = sweep.environment_of(program, options.work, options.python)
    if failed:
        return dict(result, cause="not installed: " + failed, skipped=True)
    subject = sweep.Subject(program, options, environment)
    arguments, stdin = program.get("arguments", []), program.get("stdin", "")
    variables = dict(sweep.VARIABLES, HOME=os.environ.get("HOME", "/root"), **system.variables)
    for name in ("OMNISTASIS_RUNTIMES", "OMNISTASIS_PACKAGES"):
        if name in os.environ:
            variables[name] = os.environ[name]
    out = os.path.join(options.work, "outputs", program["name"])
    shutil.rmtree(out, ignore_errors=True)
    began = time.monotonic()
    on_project = [subject.entry, "--target", system.target, "--out", out, *subject.build_options]
    # An installed command is built from a folder of its user's, which gets the lock.
    fetched = sweep.run([options.program, "packages", "fetch", subject.entry, "--target", system.target, *subject.build_options], subject.project, dict(variables, **subject.build_variables), 900)
    if fetched[0] != 0:
        return dict(result, cause="no packages: " + " ".join(fetched[2].split())[:400])
    built = sweep.run([options.program, "build", *on_project, "--compress", "fast", "--json"], subject.project, dict(variables, **subject.build_variables), 900)
    result["seconds"] = round(time.monotonic() - began, 1)
    if built[0] != 0:
        return dict(result, cause="not built: " + " ".join(built[2].split())[:400])
    told = json.loads(built[1])
    result["size"] = told["size"]
    if system.source is None:
        result["cause"] = system.proof(options.program, told["output"], variables)
        result["alike"] = not result["cause"]
        os.remove(told["output"])
        return result
    with open(glob.glob(os.path.join(glob.escape(out), "*.trace.json"))[0]) as file:
        text = file.read()
    packages = re.search(r'"(/[^"]*/environments/[0-9a-f]{16})/', text)
    runtime = re.search(r'"(/[^"]*/files)/(?:python\.exe|bin/python)', text) or re.search(r'"(/[^"]*/files/usr)/bin/python', text)
    command, more = system.source(runtime.group(1), packages.group(1) if packages else "", subject)
    subject.start_afresh()
    source = sweep.run([*command, *arguments], subject.place, dict(variables, **more), 180, stdin)
    source_files = sweep.files_below(subject.place)
    if source[0] is None or ("Traceback (most recent call last)" in source[2] and not program.get("may_fail")):
        return dict(result, cause=f"does not run from source there: {source[2].strip().splitlines()[-1:]}", skipped=True)
    subject.start_afresh()
    alone = sweep.run([*system.built(told["output"]), *arguments], subject.place, variables, 180, stdin)
    result["cause"] = difference(program, source, alone, (source_files, sweep.files_below(subject.place)))
    result["alike"] = not result["cause"]
    if result["alike"]:
        os.remove(told["output"])
    return result


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("list")
    parser.add_argument("--target", default="windows-x86_64")
    parser.add_argument("--program", default=os.path.join(sweep.ROOT, "build/release/bin/omnistasis"))
    parser.add_argument("--python", default="/usr/bin/python3")
    parser.add_argument("--work", default=os.path.join(sweep.ROOT, "build/elsewhere"))
    parser.add_argument("--again", action="store_true")
    parser.add_argument("names", nargs="*", metavar="NAME")
    options = parser.parse_intermixed_args()
    options.work, options.program = os.path.abspath(options.work), os.path.abspath(options.program)
    os.makedirs(options.work, exist_ok=True)
    with open(os.path.join(options.work, "versions.txt"), "w") as file:
        file.write(FOR_WINE)
    os.environ["PIP_CONSTRAINT"] = os.path.join(options.work, "versions.txt")
    systems = {Wine.target: Wine, Emulator.target: Emulator, "macos-aarch64": Structure, "macos-x86_64": Structure}
    system = systems[options.target](options)
    with open(os.path.join(sweep.HERE, "sweeps", options.list + ".toml"), "rb") as file:
        programs = tomllib.load(file)["program"]
    chosen = [p for p in programs if "npm" not in p and "debian" not in p and not p.get("window") and (not options.names or p["name"] in options.names)]
    results_file = os.path.join(options.work, f"{options.list}.{options.target}.json")
    results = json.load(open(results_file)) if os.path.exists(results_file) else {}
    for program in chosen:
        if program["name"] in results and not options.again:
            continue
        result = results[program["name"]] = check(program, options, system)
        with open(results_file, "w") as file:
            json.dump(results, file, indent=1)
        word = "skip" if result["skipped"] else "yes" if result["alike"] else "NO"
        print(f"{program['name']:26} {word:5} {result['size'] / 1e6:8.1f} {result['seconds']:6.1f}  {result['cause']}", flush=True)
    done = [results[p["name"]] for p in chosen if p["name"] in results]
    alike, skipped = sum(r["alike"] for r in done), sum(r["skipped"] for r in done)
    print(f"{alike} passed, {len(done) - alike - skipped} failed, {skipped} skipped")
    return alike + skipped != len(done)


if __name__ == "__main__":
    sys.exit(main())
