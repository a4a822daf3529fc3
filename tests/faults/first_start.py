#!/usr/bin/env python3
"""Tries to break the first start of a built application: kills, crowds, damaged files, a disk that is full.

    tests/faults/first_start.py --program PATH [--kills N] [--starts N] [--changes N] [--python PATH] [--seed N] [--windows RUNTIME]

With --windows, a folder of Python for Windows, all of that is done to an application for Windows, under Wine. Exit code 0 where an application that should start started, and no altered one ever ran.
"""

import argparse
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time

SOURCE = "import numbers_of_berths as n\nprint('all', sum(n.NUMBERS))\n"
EXPECTED = b"all 4950000\n"
OURS = {121, 122, 123}  # docs/exit-codes.md, of built applications


class Yard:
    def __init__(self, options):
        self.options = options
        self.random = random.Random(options.seed)
        self.folder = tempfile.mkdtemp(prefix="omnistasis faults ")
        self.beside = tempfile.mkdtemp(prefix="omnistasis faults of Wine ")  # not in the application's folder
        self.failures = []
        with open(self.path("main.py"), "w") as file:
            file.write(SOURCE)
        with open(self.path("numbers_of_berths.py"), "w") as file:
            file.write("NUMBERS = list(range(100)) * 1000\n")
        # Something to unpack for a while.
        with open(self.path("charts.bin"), "wb") as file:
            file.write(self.random.randbytes(12 << 20))
        environment = dict(os.environ, XDG_CACHE_HOME=self.path("build cache"))
        command = [options.program, "build", "main.py", "--runtime", options.python, "--asset", "charts.bin", "--compress", "fast", "-q"]
        self.output = self.path("out/linux-x86_64/main")
        self.wine = {}
        if options.windows:
            environment["OMNISTASIS_RUNTIMES"] = os.path.join(self.beside, "stock")
            subprocess.run([options.program, "runtimes", "add", options.windows], env=environment, check=True, stdout=subprocess.DEVNULL)
            command += ["--target", "windows-x86_64"]
            self.output = self.path("out/windows-x86_64/main.exe")
            self.wine = {"WINEPREFIX": os.path.join(self.beside, "prefix"), "WINEDEBUG": "-all", "WINEDLLOVERRIDES": "winedbg.exe,mscoree,mshtml,wbemprox=d", "HOME": self.beside}
            # Its services stay, with streams of their own: those of a start that is killed would stay open with them.
            subprocess.run(["sh", "-c", "(wineboot -i; wineserver -w; wineserver -p; wine winepath /) >/dev/null 2>&1 </dev/null"], env={**os.environ, **self.wine, "DISPLAY": ""})
        subprocess.run(command, cwd=self.folder, env=environment, check=True, stdout=subprocess.DEVNULL)

    def path(self, name):
        return os.path.join(self.folder, name)

    def start(self, cache, output=None):
        environment = {"OMNISTASIS_CACHE": self.cache_name(cache), "PATH": "/usr/bin:/bin", **self.wine}
        process = subprocess.Popen([*self.before(), output or self.output], env=environment, stdout=subprocess.PIPE, stderr=subprocess.PIPE, stdin=subprocess.PIPE)
        process.stdin.close()  # of a file as a stream Wine makes nothing that Python could use
        process.stdin = None
        return process

    def before(self):
        return ["wine"] if self.wine else []

    def cache_name(self, cache):
        return "Z:" + cache.replace("/", "\\") if self.wine else cache

    def check(self, what, process):
        out, err = process.communicate(timeout=120)
        out = out.replace(b"\r\n", b"\n")
        if process.returncode != 0 or out != EXPECTED:
            self.failures.append(f"{what}: exit code {process.returncode}, {out[:80]!r}, {err[:200]!r}")

    def kills(self):
        """A first start is killed at any moment; the next one works, with what was left there."""
        cache = self.path("killed")
        took = time.monotonic()
        self.check("the first", self.start(cache))
        took = time.monotonic() - took
        for number in range(self.options.kills):
            shutil.rmtree(cache, ignore_errors=True)
            process = self.start(cache)
            time.sleep(self.random.random() * took * 1.2)
            process.send_signal(signal.SIGKILL)
            process.communicate()
            self.check(f"after kill {number}", self.start(cache))
        print(f"{self.options.kills} kills of a first start of {took * 1000:.0f} ms, each with a start after it")

    def crowd(self):
        """Many first starts at once."""
        cache = self.path("crowded")
        processes = [self.start(cache) for _ in range(self.options.starts)]
        for process in processes:
            self.check("one of many", process)
        trees = [name for name in os.listdir(os.path.join(cache, "omnistasis")) if not name.startswith(".")]
        if len(trees) != 1:
            self.failures.append(f"{len(trees)} trees of {self.options.starts} starts at once")
        print(f"{self.options.starts} first starts at once: {len(trees)} tree")

    def changes(self):
        """Changed and cut-off files never run altered code, and never crash the launcher."""
        with open(self.output, "rb") as file:
            good = file.read()
        altered = self.path("altered")
        counts = {}
        crashes = 0
        payload = int.from_bytes(good[-112:-104], "little")
        for number in range(self.options.changes):
            bad = bytearray(good)
            # The launcher's own code: its hash is looked at by itself, as far as it gets.
            in_launcher = number % 8 == 4
            if in_launcher:
                bad[self.random.randrange(payload)] ^= 1 << self.random.randrange(8)
            elif number % 8 == 0:
                del bad[self.random.randrange(payload, len(bad)) :]
            else:
                for _ in range(self.random.choice((1, 1, 1, 4, 64))):
                    # Half of them where the numbers are: the index, the head and the trailer.
                    first = payload if self.random.random() < 0.5 else max(payload, len(bad) - 4096)
                    at = self.random.randrange(first, len(bad))
                    bad[at] ^= 1 << self.random.randrange(8)
            cache = self.path("cache of the altered")
            shutil.rmtree(cache, ignore_errors=True)
            with open(altered, "wb") as file:
                file.write(bad)
            os.chmod(altered, 0o755)
            try:
                process = self.start(cache, altered)
            except OSError:
                crashes += 1  # the system does not take it for a program
                continue
            out, err = process.communicate(timeout=120)
            out = out.replace(b"\r\n", b"\n")
            if in_launcher and process.returncode not in OURS:
                crashes += 1
                if out and out != EXPECTED:
                    self.failures.append(f"change {number}, of the launcher: {out[:80]!r}")
                continue
            # A change that no file is made of: padding, or a byte that was changed back.
            fine = process.returncode in OURS and not out or process.returncode == 0 and out == EXPECTED
            if not fine:
                self.failures.append(f"change {number}: exit code {process.returncode}, {out[:80]!r}, {err[:200]!r}")
            counts[process.returncode] = counts.get(process.returncode, 0) + 1
        print(f"{self.options.changes} changed or cut-off files: exit codes {dict(sorted(counts.items()))}; "
              f"{crashes} launchers with a changed byte of their own ended otherwise")

    def full_disk(self):
        """A disk that fills up at each size; afterwards a start with room works."""
        refused = 0
        for megabytes in range(1, 34, 4):
            script = (f'mount -t tmpfs -o size={megabytes}m tmpfs "$1" && OMNISTASIS_CACHE="$1" "$2"; code=$?; '
                      f'[ $code = 0 ] || {{ mount -o remount,size=200m "$1" && OMNISTASIS_CACHE="$1" "$2"; exit 10$?; }}')
            cache = self.path("full")
            os.makedirs(cache, exist_ok=True)
            done = subprocess.run(["unshare", "--user", "--map-root-user", "--mount", "sh", "-c", script, "sh", cache, self.output], capture_output=True)
            if done.returncode == 100 and b"No space left" in done.stderr and done.stdout == EXPECTED:
                refused += 1
            elif done.returncode != 0 or done.stdout != EXPECTED:
                self.failures.append(f"disk of {megabytes} MB: exit code {done.returncode}, {done.stdout[:80]!r}, {done.stderr[:300]!r}")
        print(f"disks of 1 to 33 MB: {refused} too small, each said and then mended")


    def read_only(self):
        """A cache that can't be written is said; an output on a disk that can't be written starts."""
        script = ('mkdir -p "$1/there" "$1/where" && cp "$3" "$1/there/main.exe" && mount --bind "$1/there" "$1/there" && mount -o remount,ro,bind "$1/there" && '
                  'mount -t tmpfs -o ro tmpfs "$1/where" && : | OMNISTASIS_CACHE="$4\\\\where" wine "$1/there/main.exe" 2>&1 | cat; : | OMNISTASIS_CACHE="$4\\\\some" wine "$1/there/main.exe" | cat')
        cache = self.path("read only")
        done = subprocess.run(["unshare", "--user", "--map-root-user", "--mount", "sh", "-c", script, "sh", cache, "", self.output, self.cache_name(cache)],
                              env={"PATH": "/usr/bin:/bin", **self.wine}, capture_output=True, timeout=120)
        said, _, rest = done.stdout.replace(b"\r\n", b"\n").partition(b"\n")
        if b"can't" not in said or rest != EXPECTED:
            self.failures.append(f"read-only: {done.stdout[:300]!r}, {done.stderr[:300]!r}")
        print(f"a cache that can't be written: {said.decode(errors='replace')[:120]}")


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--program", required=True)
    parser.add_argument("--python", default="/usr/bin/python3")
    parser.add_argument("--kills", type=int, default=12)
    parser.add_argument("--starts", type=int, default=20)
    parser.add_argument("--changes", type=int, default=60)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--windows")
    yard = Yard(parser.parse_args())
    try:
        yard.kills()
        yard.crowd()
        yard.changes()
        if yard.wine:
            yard.read_only()
        else:
            yard.full_disk()
    finally:
        if yard.wine:
            subprocess.run(["wineserver", "-k"], env={**os.environ, **yard.wine})
        shutil.rmtree(yard.folder, ignore_errors=True)
        shutil.rmtree(yard.beside, ignore_errors=True)
    for failure in yard.failures[:20]:
        print(failure)
    print("nothing broke" if not yard.failures else f"{len(yard.failures)} times it broke")
    sys.exit(bool(yard.failures))


main()
