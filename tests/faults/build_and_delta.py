#!/usr/bin/env python3
"""Kills builds and applications of deltas at any moment, and lets their disk fill up at each write.

    tests/faults/build_and_delta.py --program PATH [--kills N] [--writes N] [--python PATH] [--seed N]

Exit code 0 where the output was always wholly the old one or wholly the new one, and the next run worked.
"""

import argparse
import filecmp
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time


class Yard:
    def __init__(self, options):
        self.options = options
        self.random = random.Random(options.seed)
        self.folder = tempfile.mkdtemp(prefix="omnistasis faults ")
        self.environment = dict(os.environ, XDG_CACHE_HOME=self.path("cache"), OMNISTASIS_CACHE=self.path("trees"))
        self.failures = []
        # Something to compress and to write for a while.
        with open(self.path("charts.bin"), "wb") as file:
            file.write(self.random.randbytes(6 << 20))
        for version in ("old", "new"):
            self.write_source(version)
            for form in ("file", "folder"):
                self.run(self.build_command(form, f"{version}-{form}"), check=True)
        for form in ("file", "folder"):
            self.run(["delta", "make", f"old-{form}/main", f"new-{form}/main", "-o", f"{form}.delta"], check=True)

    def path(self, name):
        return os.path.join(self.folder, name)

    def write_source(self, version):
        with open(self.path("main.py"), "w") as file:
            file.write(f"import json\nprint({version!r})\n")

    def build_command(self, form, out):
        return ["build", "main.py", "--runtime", self.options.python, "--asset", "charts.bin", "--compress", "fast", "--without", "own-files",
                "--form", form, "--out", out, "-q"]

    def start(self, arguments):
        return subprocess.Popen([self.options.program, *arguments], cwd=self.folder, env=self.environment,
                                stdout=subprocess.PIPE, stderr=subprocess.PIPE, stdin=subprocess.DEVNULL)

    def run(self, arguments, check=False):
        process = self.start(arguments)
        out, err = process.communicate(timeout=120)
        if check and process.returncode != 0:
            sys.exit(f"{arguments}: exit code {process.returncode}, {err.decode()}")
        return process.returncode, out, err

    def same(self, left, right):
        if os.path.isfile(self.path(left)):
            return filecmp.cmp(self.path(left), self.path(right), shallow=False)
        return subprocess.run(["diff", "-rq", self.path(left), self.path(right)], capture_output=True).returncode == 0

    def check_place(self, what, form):
        """The place holds one of the two outputs, and it runs. Says which."""
        for version in ("old", "new"):
            if self.same("at/main", f"{version}-{form}/main"):
                program = self.path("at/main" if form == "file" else "at/main/main")
                out = subprocess.run([program], env=self.environment, capture_output=True).stdout
                if out != version.encode() + b"\n":
                    self.failures.append(f"{what}: the {version} output prints {out!r}")
                return version
        self.failures.append(f"{what}: the output is neither the old one nor the new one")
        return "none"

    def put_old(self, form):
        shutil.rmtree(self.path("at"), ignore_errors=True)
        shutil.copytree(self.path(f"old-{form}"), self.path("at"), symlinks=True)

    def killed(self, arguments, took):
        process = self.start(arguments)
        time.sleep(self.random.random() * took * 1.1)
        process.send_signal(signal.SIGKILL)
        process.communicate()

    def kills(self, name, command, prepare):
        """`command` is killed at any moment; what is there is whole, and the next run of it makes the new output."""
        counts = {"old": 0, "new": 0, "none": 0}
        for form in ("file", "folder"):
            self.put_old(form)
            prepare()
            begin = time.monotonic()
            self.run(command(form), check=True)
            took = time.monotonic() - begin
            for number in range(self.options.kills // 2):
                self.put_old(form)
                prepare()
                self.killed(command(form), took)
                what = f"{name} of the {form} form, kill {number}"
                counts[self.check_place(what, form)] += 1
                code, _, err = self.run(command(form))
                if code != 0 or self.check_place(what, form) != "new":
                    self.failures.append(f"{what}: the next run says {code}, {err[:300]!r}")
        print(f"{name}: {self.options.kills} kills, after them {counts['old']} times the old output and {counts['new']} times the new one")

    def fails_at(self, arguments, count):
        """Runs a command whose `count`th write finds the disk full."""
        calls = "write,pwrite64,copy_file_range,ftruncate,fsync,mkdir,link,rename,renameat2"
        return subprocess.run(["strace", "-f", "-qq", "-o", "/dev/null", "-e", f"trace={calls}",
                               "-e", f"inject={calls}:error=ENOSPC:when={count}+", self.options.program, *arguments],
                              cwd=self.folder, env=self.environment, capture_output=True, timeout=120)

    def full_disk(self, name, command, prepare):
        refused = 0
        for form in ("file", "folder"):
            for count in range(1, self.options.writes // 2 + 1):
                self.put_old(form)
                prepare()
                done = self.fails_at(command(form), count)
                what = f"{name} of the {form} form, disk full from write {count} on"
                is_refused = done.returncode == 4
                refused += bool(is_refused)
                if not is_refused and done.returncode != 0:
                    self.failures.append(f"{what}: exit code {done.returncode}, {done.stderr[:300]!r}")
                # Messages are writes too, so a good end may not have been told.
                self.check_place(what, form)
                code, _, err = self.run(command(form))
                if code != 0 or self.check_place(what, form) != "new":
                    self.failures.append(f"{what}: with room again {code}, {err[:300]!r}")
        print(f"{name}: a disk that is full at each of {self.options.writes} writes, refused {refused} times")


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--program", required=True)
    parser.add_argument("--python", default="/usr/bin/python3")
    parser.add_argument("--kills", type=int, default=12)
    parser.add_argument("--writes", type=int, default=12)
    parser.add_argument("--seed", type=int, default=1)
    yard = Yard(parser.parse_args())

    def no_store():
        shutil.rmtree(yard.path("cache"), ignore_errors=True)

    build = lambda form: yard.build_command(form, "at")
    apply = lambda form: ["delta", "apply", "at/main", f"{form}.delta"]
    try:
        yard.kills("builds", build, no_store)
        # With what killed builds left in the store.
        yard.kills("builds with a store", build, lambda: None)
        yard.kills("deltas", apply, lambda: None)
        yard.full_disk("builds", build, no_store)
        yard.full_disk("deltas", apply, lambda: None)
    finally:
        shutil.rmtree(yard.folder, ignore_errors=True)
    for failure in yard.failures[:20]:
        print(failure)
    print("nothing broke" if not yard.failures else f"{len(yard.failures)} times it broke")
    sys.exit(bool(yard.failures))


main()
