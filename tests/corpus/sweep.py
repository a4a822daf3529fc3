#!/usr/bin/env python3
"""Builds programs with packages that people use, with no option, and compares a run in an empty root with one from source.

    tests/corpus/sweep.py LIST [--half 1|2] [--program PATH] [--work FOLDER] [--again] [NAME ...]

LIST is a file in tests/corpus/sweeps/. Each program gets its packages in a virtual environment of its own, by pip. It is
run from source, built, and run where neither its source nor its environment can be seen: exit code, output and the files
that it writes have to be equal. Environments and results stay in the work folder, so that a sweep goes on where it was
stopped; --again runs what has a result already. Exit code 0 when all are alike.
"""

import argparse
import hashlib
import json
import os
import re
import shutil
import signal
import subprocess
import sys
import time
import tomllib

HERE = os.path.dirname(os.path.abspath(__file__))
ROOT = os.path.dirname(os.path.dirname(HERE))
VARIABLES = {"PATH": "/usr/bin:/bin", "LANG": "C.UTF-8", "TZ": "UTC", "PYTHONDONTWRITEBYTECODE": "1", "PYTHONHASHSEED": "0", "COLUMNS": "100", "USER": "sweep"}


def host_arguments():
    """bwrap arguments that show the target's host libraries and nothing else."""
    with open(os.path.join(ROOT, "notes/hosts/linux-x86_64.toml")) as file:
        names = re.findall(r'^    "(.*)",$', file.read(), re.M)
    patterns = [re.compile(re.escape(name).replace(r"\*", ".*") + "$") for name in names]
    arguments = []
    for folder in ("/lib/x86_64-linux-gnu", "/lib64"):
        for name in sorted(os.listdir(folder)):
            if any(pattern.match(name) for pattern in patterns):
                arguments += ["--ro-bind", os.path.realpath(os.path.join(folder, name)), os.path.join(folder, name)]
    return arguments


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


def environment_of(program, work, python):
    """The program's virtual environment; makes it where it is not there."""
    requires = sorted(program.get("requires", []))
    folder = os.path.join(work, "environments", hashlib.sha256("\n".join(requires).encode()).hexdigest()[:12])
    if os.path.exists(os.path.join(folder, "made")):
        return folder, ""
    shutil.rmtree(folder, ignore_errors=True)
    subprocess.run([python, "-m", "venv", folder], check=True, stdin=subprocess.DEVNULL)
    installed = subprocess.run([folder + "/bin/pip", "install", "-q", "--disable-pip-version-check", *requires], capture_output=True, text=True, stdin=subprocess.DEVNULL)
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
    text = text.replace("TREE/lib/python3.11", "LIB").replace("TREE/app", "PROJECT").replace("/usr/lib/python3.11", "LIB").replace("TREE/share", "/usr/share")
    for name, word in names:
        text = text.replace(name, word)
    text = re.sub(r"0x[0-9a-f]{6,}", "0x", text)
    for pattern in ignored:
        text = re.sub(pattern, "", text)
    return text


def without_source_lines(text):
    """Only compiled code is carried: warnings and tracebacks have files and lines, and no source text below them."""
    return [line for line in text.splitlines() if not line.startswith("  ") or line.startswith("  File ")]


def check(program, options, host):
    result = {"alike": False, "told": False, "size": 0, "seconds": 0.0, "cause": ""}
    folder, failed = environment_of(program, options.work, options.python)
    if failed:
        return dict(result, cause="not installed: " + failed, skipped=True)
    project = os.path.join(options.work, "projects", program["name"])
    fresh(project, program.get("files", {}))
    os.makedirs(os.path.join(project, ".git"))  # the project ends here, not at this repository
    if "source" in program:
        with open(os.path.join(project, program["name"] + ".py"), "w") as file:
            file.write(program["source"])
        entry = os.path.join(project, program["name"] + ".py")
    else:
        entry = os.path.join(folder, "bin", program["command"])
    state = os.path.join(options.work, "state", program["name"])
    home, place = os.path.join(state, "home"), os.path.join(state, "work")
    arguments = program.get("arguments", [])
    stdin = program.get("stdin", "")
    variables = dict(VARIABLES, HOME=home)

    def start():
        fresh(home, {})
        fresh(place, program.get("given", {}))

    start()
    start_command = [os.path.join(folder, "bin/python"), entry] if "source" in program else [entry]
    source = run([*start_command, *arguments], place, variables, stdin=stdin)
    source_files = files_below(place)
    if source[0] is None or ("Traceback (most recent call last)" in source[2] and not program.get("may_fail")):
        return dict(result, cause=f"does not run from source: {source[2].strip().splitlines()[-1:]}", skipped=True)
    began = time.monotonic()
    out = os.path.join(options.work, "outputs", program["name"])
    shutil.rmtree(out, ignore_errors=True)
    command = [options.program, "build", entry, "--out", out, "--compress", "fast", "--json"]
    if "source" in program:
        command += ["--runtime", folder]
    built = run(command, project, dict(VARIABLES, HOME=os.environ.get("HOME", "/root"), **({"VIRTUAL_ENV": folder} if "source" in program else {})), 900)
    result["seconds"] = round(time.monotonic() - began, 1)
    if built[0] != 0:
        return dict(result, cause=f"not built: {built[2].strip()[-300:]}", told=True)
    told = json.loads(built[1])
    result["size"] = told["size"]
    with open(os.path.join(out, "trace.json")) as file:
        ends = json.load(file)["loose_ends"]
    full = [end for end in ends if not end.get("minor")]
    result["told"] = bool(full)
    result["loose_ends"] = [f"{end['kind']}: {end['what']} ({os.path.basename(end['file'])}:{end['line']})" for end in full][:8]
    start()
    output = told["output"]
    isolated = ["bwrap", "--unshare-pid", "--unshare-ipc", "--unshare-net", "--die-with-parent", "--clearenv", "--proc", "/proc", "--dev", "/dev", "--tmpfs", "/tmp", "--tmpfs", "/var/tmp"]
    for name, value in dict(variables, HOME="/home/sweep").items():
        isolated += ["--setenv", name, value]
    isolated += ["--ro-bind-try", "/etc/passwd", "/etc/passwd", "--ro-bind-try", "/etc/group", "/etc/group"]  # every system has them
    isolated += ["--ro-bind-try", "/usr/lib/locale/C.utf8", "/usr/lib/locale/C.utf8"]
    isolated += [*host, "--bind", home, "/home/sweep", "--bind", place, "/work", "--chdir", "/work", "--ro-bind", output, "/opt/" + os.path.basename(output), "/opt/" + os.path.basename(output), *arguments]
    alone = run(isolated, place, variables, 180, stdin)
    alone_files = files_below(place)
    names = [(folder + "/lib/python3.11", "LIB"), (folder, "ENV"), (project, "PROJECT"), (home, "HOME"), (place, "WORK"), ("/home/sweep", "HOME"), ("/opt", "ENV/bin"), ("/work", "WORK")]
    ignored = program.get("ignore", [])
    was, now = ([plain(text, names, ignored) for text in streams[1:]] for streams in (source, alone))
    if alone[0] != source[0]:
        result["cause"] = f"exit code {alone[0]} instead of {source[0]}: {' | '.join((alone[2].strip() or alone[1].strip()).splitlines()[-3:])[-400:]}"
    elif was[0] != now[0]:
        differ = next(((a, b) for a, b in zip(was[0].splitlines() + [""], now[0].splitlines() + [""]) if a != b), ("", ""))
        result["cause"] = f"another output: {differ[1]!r} instead of {differ[0]!r} {now[1].strip()[-300:]}"
    elif not program.get("any_errors") and without_source_lines(was[1]) != without_source_lines(now[1]):
        differ = next(((a, b) for a, b in zip(was[1].splitlines() + [""], now[1].splitlines() + [""]) if a != b), ("", ""))
        result["cause"] = f"other errors: {differ[1]!r} instead of {differ[0]!r}"
    elif program.get("same_files", True) and sorted(source_files) != sorted(alone_files):
        result["cause"] = f"other files: {sorted(set(source_files) ^ set(alone_files))[:5]}"
    else:
        result["alike"] = True
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
    path = options.list if os.path.exists(options.list) else os.path.join(HERE, "sweeps", options.list + ".toml")
    with open(path, "rb") as file:
        programs = tomllib.load(file)["program"]
    chosen = [p for i, p in enumerate(programs) if (not options.half or i % 2 + 1 == options.half) and (not options.names or p["name"] in options.names)]
    os.makedirs(options.work, exist_ok=True)
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
