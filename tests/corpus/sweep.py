#!/usr/bin/python3
"""Builds programs with packages that people use, with no option, and compares a run in an empty root with one from source.

    tests/corpus/sweep.py LIST [--half 1|2] [--program PATH] [--work FOLDER] [--again] [NAME ...]

LIST is a file in tests/corpus/sweeps/. Each program gets its packages in an environment of its own, by pip (`requires`)
or npm (`npm`), or is one of Debian's (`debian`, installed by hand: scripts and packages of the system). It is run from
source, built, and run where neither its source nor its environment can be seen: exit code, output and the files that it
writes have to be equal. One with a window (`window`) has to show the same picture. Environments and results stay in the work folder, so that a sweep goes on where it was
stopped; --again runs what has a result already. Exit code 0 when all are alike.
"""

import argparse
import hashlib
import glob
import json
import os
import re
import shutil
import signal
import subprocess
import sys
import time
import tomllib

import windows
from empty_root import driver_arguments, host_arguments

HERE = os.path.dirname(os.path.abspath(__file__))
ROOT = os.path.dirname(os.path.dirname(HERE))
BUSYBOX = "/bin/busybox"  # Debian's busybox-static
USUAL_PROGRAMS = "sh cat cp echo env false grep head id ls mkdir mv ps rm sed sleep sort tail tar test touch tr true uname wc which whoami".split()
VARIABLES = {"PATH": "/usr/bin:/bin", "LANG": "C.UTF-8", "TZ": "UTC", "PYTHONDONTWRITEBYTECODE": "1", "PYTHONHASHSEED": "0", "COLUMNS": "100", "USER": "sweep"}


def run(command, folder, environment, seconds=120, stdin=""):
    """Exit code (None: it did not end), output and errors. All that it started is ended with it."""
    with subprocess.Popen(command, cwd=folder, env=environment, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, start_new_session=True) as process:
        try:
            out, err = process.communicate(stdin.encode(), timeout=seconds)
            code = process.returncode
        except subprocess.TimeoutExpired:
            os.killpg(process.pid, signal.SIGKILL)
            out, err = process.communicate()
            code = None
    return code, out.decode(errors="replace"), err.decode(errors="replace")


def pip_environment(requires, folder, python):
    subprocess.run([python, "-m", "venv", folder], check=True, stdin=subprocess.DEVNULL)
    return [folder + "/bin/pip", "install", "-q", "--disable-pip-version-check", *requires]


def npm_environment(requires, folder):
    os.makedirs(folder)
    with open(os.path.join(folder, "package.json"), "w") as file:
        file.write('{"name": "sweep", "private": true}\n')
    return ["npm", "install", "--prefix", folder, "--no-audit", "--no-fund", "--silent", *requires]


def environment_of(program, work, python):
    """The folder of the packages that the program wants, and why it can't be made; makes it where it is not there."""
    if "debian" in program:
        missing = [name for name in program["debian"] if not os.path.exists(f"/var/lib/dpkg/info/{name}.list")]
        return "/usr", f"apt-get install {' '.join(missing)}" if missing else ""
    npm = "npm" in program
    requires = sorted(program["npm"] if npm else program.get("requires", []))
    folder = os.path.join(work, "environments", hashlib.sha256("\n".join(["npm"] * npm + requires).encode()).hexdigest()[:12])
    if os.path.exists(os.path.join(folder, "made")):
        return folder, ""
    shutil.rmtree(folder, ignore_errors=True)
    command = npm_environment(requires, folder) if npm else pip_environment(requires, folder, python)
    installed = subprocess.run(command, capture_output=True, text=True, stdin=subprocess.DEVNULL)
    if installed.returncode != 0:
        return folder, (installed.stderr.strip().splitlines() or ["?"])[-1]
    with open(os.path.join(folder, "made"), "w") as file:
        file.write("\n".join(requires))
    return folder, ""


def files_below(folder):
    found = {}
    for base, _, names in os.walk(folder):
        for name in names:
            if name.endswith(".pyc"):
                continue  # an interpreter that is not told to leave none keeps them
            path = os.path.join(base, name)
            if not os.path.exists(path):
                continue  # a link that leads to what only the other run had
            with open(path, "rb") as file:
                found[os.path.relpath(path, folder)] = file.read()
    return found


def fresh(folder, files):
    shutil.rmtree(folder, ignore_errors=True)
    os.makedirs(folder)
    for name, text in files.items():
        path = os.path.join(folder, name)
        os.makedirs(os.path.dirname(path), exist_ok=True)
        with open(path, "w") as file:
            file.write(text)


def plain(text, names, ignored):
    """Output without what differs by nature: paths of this machine, addresses."""
    text = re.sub(r"/home/sweep/\.cache/omnistasis/[^/\s]*-[0-9a-f]{32}/", "TREE/", text)
    text = text.replace("TREE/lib/python3.11", "LIB").replace("TREE/app", "PROJECT").replace("/usr/lib/python3.11", "LIB").replace("TREE/share", "/usr/share").replace("TREE/lib/", "/usr/lib/")
    for name, word in names:
        text = text.replace(name, word)
    text = re.sub(r"0x[0-9a-f]{6,}", "0x", text)
    text = re.sub(r"\(Use `\S+ --trace", "(Use `node --trace", text)
    text = re.sub(r"\(node:\d+\)", "(node)", text)
    for pattern in ignored:
        text = re.sub(pattern, "", text)
    return text


def without_source_lines(text):
    """Only compiled code is carried: warnings and tracebacks have files and lines, and no source text below them."""
    return [line for line in text.splitlines() if not line.startswith("  ") or line.startswith("  File ")]


class Subject:
    """A program as its user starts it: its files, and the commands that start and build it."""

    def __init__(self, program, options, environment):
        state = os.path.join(options.work, "state", program["name"])
        self.home, self.place = os.path.join(state, "home"), os.path.join(state, "work")
        self.project = os.path.join(options.work, "projects", program["name"])
        self.build_variables, self.build_options = {}, []
        fresh(self.project, {**program.get("files", {}), **program.get("config", {})})
        os.makedirs(os.path.join(self.project, ".git"))  # the project ends here, not at this repository
        if "npm" in program:
            os.symlink(os.path.join(environment, "node_modules"), os.path.join(self.project, "node_modules"))
            with open(os.path.join(environment, "package.json")) as file:
                package = {**json.load(file), **json.loads(program.get("files", {}).get("package.json", "{}"))}
            with open(os.path.join(self.project, "package.json"), "w") as file:
                json.dump(package, file)
        if "source" in program:
            self.entry = os.path.join(self.project, program["name"] + program.get("suffix", ".py"))
            with open(self.entry, "w") as file:
                file.write(program["source"])
        elif "debian" in program:
            self.entry = program["command"]
        else:
            self.entry = os.path.join(self.project if "npm" in program else environment, "node_modules/.bin" if "npm" in program else "bin", program["command"])
        self.start_command = ["/usr/bin/python3", self.entry] if "debian" in program and self.entry.endswith(".py") else [self.entry]
        if "npm" in program:
            self.start_command = ["node", self.entry]
        elif "source" in program:
            self.start_command = [os.path.join(environment, "bin/python"), self.entry]
            self.build_variables, self.build_options = {"VIRTUAL_ENV": environment}, ["--runtime", environment]
        self.given = {**program.get("config", {}), **program.get("given", {})}
        self.names = [(environment + "/lib/python3.11", "LIB"), (environment, "ENV"), (self.place, "WORK"), (self.project, "PROJECT"), (self.home, "HOME"), ("/home/sweep", "HOME"), ("/opt", "ENV/bin"), ("/work", "WORK")]
        if "npm" in program:
            self.names = [(environment, "PROJECT"), *self.names[2:], ("/opt", "PROJECT")]
        if "debian" in program:
            self.names = [("/usr/lib/python3/dist-packages", "LIB/site-packages"), (os.path.dirname(self.entry), "PROJECT"), *self.names[2:]]

    def start_afresh(self):
        fresh(self.home, {".config/user": "", ".local/share/user": "", ".cache/user": ""})
        fresh(self.place, self.given)


def isolated(subject, output, variables, host, display):
    """The command that runs the output where nothing of this machine is but what every system has."""
    command = ["bwrap", "--unshare-pid", "--unshare-ipc", "--unshare-net", "--die-with-parent", "--clearenv", "--proc", "/proc", "--dev", "/dev", "--tmpfs", "/tmp", "--tmpfs", "/var/tmp"]
    for name, value in dict(variables, HOME="/home/sweep").items():
        command += ["--setenv", name, value]
    command += ["--ro-bind-try", "/etc/passwd", "/etc/passwd", "--ro-bind-try", "/etc/group", "/etc/group"]  # every system has them
    command += ["--ro-bind-try", "/etc/mime.types", "/etc/mime.types"]
    command += ["--ro-bind-try", "/usr/lib/locale/C.utf8", "/usr/lib/locale/C.utf8"]
    # Whatever machine it is, the usual small programs and a desktop's own lists are there.
    command += ["--ro-bind", BUSYBOX, "/bin/busybox", "--symlink", "/bin", "/usr/bin"]
    for name in USUAL_PROGRAMS:
        command += ["--symlink", "busybox", "/bin/" + name]
    if display:
        command += display.shown_to_programs()
    return [*command, *host, "--bind", subject.home, "/home/sweep", "--bind", subject.place, "/work", "--chdir", "/work", "--ro-bind", output, "/opt/" + os.path.basename(output), "/opt/" + os.path.basename(output)]


def difference(program, subject, source, alone, files):
    """What an observer of both runs would see, or nothing."""
    was, now = ([plain(text, subject.names, program.get("ignore", [])) for text in streams[1:]] for streams in (source, alone))
    if alone[0] != source[0]:
        return f"exit code {alone[0]} instead of {source[0]}: {' | '.join((alone[2].strip() or alone[1].strip()).splitlines()[-3:])[-400:]}"
    if was[0] != now[0] and not program.get("any_output"):
        differ = next(((a, b) for a, b in zip(was[0].splitlines() + [""], now[0].splitlines() + [""]) if a != b), ("", ""))
        return f"another output: {differ[1]!r} instead of {differ[0]!r} {now[1].strip()[-300:]}"
    if not program.get("any_errors") and without_source_lines(was[1]) != without_source_lines(now[1]):
        differ = next(((a, b) for a, b in zip(was[1].splitlines() + [""], now[1].splitlines() + [""]) if a != b), ("", ""))
        return f"other errors: {differ[1]!r} instead of {differ[0]!r}"
    if program.get("same_files", True) and sorted(files[0]) != sorted(files[1]):
        return f"other files: {sorted(set(files[0]) ^ set(files[1]))[:5]}"
    return ""


def window_difference(program, subject, source, alone, pictures):
    """The same for a program that has a window and was ended."""
    if difference := windows.difference(*pictures, moving=program.get("moving", False)):
        return f"{difference} {' | '.join(alone[2].strip().splitlines()[-4:])[-400:]}"
    if "Traceback (most recent call last)" in alone[2] and "Traceback (most recent call last)" not in source[2]:
        return "an error in its window: " + " | ".join(alone[2].strip().splitlines()[-3:])[-400:]
    was, now = (windows.warnings(plain(streams[2], subject.names, program.get("ignore", []))) for streams in (source, alone))
    new = [line for line in now if line not in was]
    return f"other warnings: {new[0][:300]}" if new else ""


def check(program, options, host):
    result = {"alike": False, "told": False, "size": 0, "seconds": 0.0, "cause": ""}
    environment, failed = environment_of(program, options.work, options.python)
    if failed:
        return dict(result, cause="not installed: " + failed, skipped=True)
    subject = Subject(program, options, environment)
    arguments, stdin = program.get("arguments", []), program.get("stdin", "")
    variables = dict(VARIABLES, HOME=subject.home)
    has_window = program.get("window", False)
    pictures = [os.path.join(options.work, "pictures", program["name"] + end) for end in (".source.png", ".built.png")]

    def observed(command_of, built):
        """A run on a display of its own: what one leaves there, as a pointer, is not another's."""
        if not has_window:
            return run(command_of(variables, None), subject.place, variables, 180 if built else 120, stdin)
        display = windows.Display()
        try:
            shown = dict(variables, **display.variables())
            return display.run(command_of(shown, display), subject.place, shown, pictures[built], program.get("seconds", 60))
        finally:
            display.end()

    if not os.path.exists(subject.start_command[0]):
        return dict(result, cause=f"the package has no command {os.path.basename(subject.start_command[0])} any more", skipped=True)
    subject.start_afresh()
    source = observed(lambda *_: [*subject.start_command, *arguments], False)
    source_files = files_below(subject.place)
    if has_window:
        if not source[3]:
            return dict(result, cause=f"no window from source: {source[2].strip().splitlines()[-1:]}", skipped=True)
    elif source[0] is None or ("Traceback (most recent call last)" in source[2] and not program.get("may_fail")):
        return dict(result, cause=f"does not run from source: {source[2].strip().splitlines()[-1:]}", skipped=True)
    subject.start_afresh()
    began = time.monotonic()
    out = os.path.join(options.work, "outputs", program["name"])
    shutil.rmtree(out, ignore_errors=True)
    command = [options.program, "build", subject.entry, "--out", out, "--compress", "fast", "--json", *subject.build_options]
    built = run(command, subject.project, dict(VARIABLES, HOME=os.environ.get("HOME", "/root"), **subject.build_variables), 900)
    result["seconds"] = round(time.monotonic() - began, 1)
    if built[0] != 0:
        return dict(result, cause=f"not built: {built[2].strip()[-300:]}", told=True)
    told = json.loads(built[1])
    result["size"] = told["size"]
    with open(glob.glob(os.path.join(glob.escape(out), "*.trace.json"))[0]) as file:
        ends = json.load(file)["loose_ends"]
    full = [end for end in ends if not end.get("minor")]
    result["told"] = bool(full)
    result["loose_ends"] = [f"{end['kind']}: {end['what']} ({os.path.basename(end['file'])}:{end['line']})" for end in full][:8]
    subject.start_afresh()
    if program.get("drivers"):
        host = [*host, *driver_arguments()]
    alone = observed(lambda shown, display: [*isolated(subject, told["output"], shown, host, display), *arguments], True)
    if has_window:
        result["cause"] = window_difference(program, subject, source, alone, pictures)
    else:
        result["cause"] = difference(program, subject, source, alone, (source_files, files_below(subject.place)))
    result["alike"] = not result["cause"]
    shutil.rmtree(subject.home)  # the tree that the output unpacked
    if result["alike"]:
        os.remove(told["output"])
    return result


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("list")
    parser.add_argument("--half", type=int, choices=(1, 2))
    parser.add_argument("--program", default=os.path.join(ROOT, "build/release/bin/omnistasis"))
    parser.add_argument("--python", default="/usr/bin/python3")
    parser.add_argument("--work", default=os.path.join(ROOT, "build/sweeps"))
    parser.add_argument("--again", action="store_true", help="also run what has a result already")
    parser.add_argument("--failed", action="store_true", help="run again what was not alike")
    parser.add_argument("--install", action="store_true", help="make the environments only")
    parser.add_argument("names", nargs="*", metavar="NAME")
    options = parser.parse_intermixed_args()
    options.work = os.path.abspath(options.work)
    options.program = os.path.abspath(options.program)
    os.makedirs(os.path.join(options.work, "pictures"), exist_ok=True)
    path = options.list if os.path.exists(options.list) else os.path.join(HERE, "sweeps", options.list + ".toml")
    with open(path, "rb") as file:
        programs = tomllib.load(file)["program"]
    chosen = [p for i, p in enumerate(programs) if (not options.half or i % 2 + 1 == options.half) and (not options.names or p["name"] in options.names)]
    if options.install:
        for program in chosen:
            failed = environment_of(program, options.work, options.python)[1]
            print(program["name"], failed or "installed", flush=True)
        return 0
    results_file = os.path.join(options.work, os.path.basename(path)[:-5] + ".results.json")
    results = json.load(open(results_file)) if os.path.exists(results_file) else {}
    host = host_arguments()
    for program in chosen:
        known = results.get(program["name"])
        if known and not options.again and not (options.failed and not known["alike"]):
            continue
        result = check(program, options, host)
        results = json.load(open(results_file)) if os.path.exists(results_file) else {}
        results[program["name"]] = result
        with open(results_file + ".new", "w") as file:
            json.dump(results, file, indent=1)
        os.replace(results_file + ".new", results_file)
        word = "skip" if result.get("skipped") else "yes" if result["alike"] else "told" if result["told"] else "SILENT"
        print(f"{program['name']:26} {word:6} {result['size'] / 1e6:8.1f} {result['seconds']:6.1f}  {result['cause']}", flush=True)
    done = [results[p["name"]] for p in chosen if p["name"] in results]
    skipped = sum(1 for r in done if r.get("skipped"))
    alike = sum(1 for r in done if r["alike"])
    silent = sum(1 for r in done if not r["alike"] and not r["told"] and not r.get("skipped"))
    print(f"silent: {silent}")
    print(f"{alike} passed, {len(done) - alike - skipped} failed, {skipped} skipped")
    return alike + skipped != len(done)


if __name__ == "__main__":
    sys.exit(main())
