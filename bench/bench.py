#!/usr/bin/env python3
"""Measures Omnistasis against something real, as ratios in one run.

    bench/bench.py [--program PATH] [--python PATH] [--pairs N] [NAME ...]

Each benchmark runs its two commands in turn, and prints the medians of both, the ratio or difference of the pairs, its
spread (the middle half), and what is asked for. Without names all of them run.
"""

import argparse
import json
import os
import random
import re
import shutil
import statistics
import subprocess
import sys
import tempfile
import time

HERE = os.path.dirname(os.path.abspath(__file__))


class Bench:
    def __init__(self, options):
        self.program = options.program
        self.python = options.python
        self.pairs = options.pairs
        self.folder = tempfile.mkdtemp(prefix="omnistasis-bench-")
        self.environment = {"PATH": os.environ["PATH"], "HOME": self.folder, "LANG": "C.UTF-8"}

    def write(self, name, text):
        path = os.path.join(self.folder, name)
        os.makedirs(os.path.dirname(path), exist_ok=True)
        with open(path, "w") as file:
            file.write(text)
        return path

    def build(self, source, *options):
        command = [self.program, "build", source, "--runtime", self.python, "-q", *options]
        done = subprocess.run(command, cwd=self.folder, env=self.environment, capture_output=True, text=True)
        if done.returncode != 0:
            sys.exit(f"{' '.join(command)} failed:\n{done.stderr}")
        return os.path.join(self.folder, done.stdout.strip())

    def seconds(self, command):
        start = time.perf_counter()
        subprocess.run(command, cwd=self.folder, env=self.environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=True)
        return time.perf_counter() - start

    def compare(self, ours, other, before=lambda: None):
        """Times of both commands, in turn, after one run of each that does not count; `before` each of ours."""
        self.seconds(ours), self.seconds(other)
        pairs = []
        for _ in range(self.pairs):
            before()
            pairs.append((self.seconds(ours), self.seconds(other)))
        return pairs


def line(name, text, wanted, met):
    print(f"{name:28} {text:78} wanted: {wanted:24} {'yes' if met else 'NO'}", flush=True)


def quartiles(values):
    low, middle, high = statistics.quantiles(values, n=4)
    return low, middle, high


def report_ratio(name, pairs, other_name, limit):
    low, middle, high = quartiles([ours / other for ours, other in pairs])
    ours = statistics.median(pair[0] for pair in pairs) * 1000
    other = statistics.median(pair[1] for pair in pairs) * 1000
    line(name, f"{ours:7.1f} ms against {other:7.1f} ms {other_name}: {middle:.2f} ({low:.2f} to {high:.2f})", f"at most {limit:.2f}", middle <= limit)


def report_difference(name, pairs, other_name, limit):
    low, middle, high = quartiles([(ours - other) * 1000 for ours, other in pairs])
    ours = statistics.median(pair[0] for pair in pairs) * 1000
    line(name, f"{ours:7.1f} ms, {middle:+.1f} ms ({low:+.1f} to {high:+.1f}) against {other_name}", f"at most +{limit:.0f} ms", middle <= limit)


def hello_size(bench):
    size = os.path.getsize(bench.build(bench.write("hello.py", "print('hello')\n")))
    interpreter = os.path.realpath(bench.python)
    packed = len(subprocess.run(["zstd", "-19", "-q", "-c", interpreter], capture_output=True, check=True).stdout)
    line("hello-size", f"{size / 1e6:.2f} MB; the interpreter alone, compressed: {packed / 1e6:.2f} MB", "at most 3.50 MB", size <= 3.5e6)


def warm_start(bench):
    source = bench.write("hello.py", "print('hello')\n")
    for form in ("file", "folder"):
        built = bench.build(source, "--form", form, "--out", form)
        report_difference(f"warm-start {form}", bench.compare([built], [bench.python, "-I", "-S", source]), "python3 -I -S hello.py", 5)


def trace_numpy(bench):
    source = bench.write("n.py", "import numpy as np\nprint(np.linalg.norm([3, 4]), np.random.default_rng(1).random())\n")
    ours = [bench.program, "trace", source, "--runtime", bench.python, "-q"]
    report_ratio("trace-numpy", bench.compare(ours, [bench.python, "-c", "import numpy"]), "python3 -c 'import numpy'", 1.0)


def warm_150(bench):
    """A program of 150 modules of its own kind: pure Python, each with functions and a class."""
    for number in range(150):
        body = "\n".join(f"def f{i}(a, b={i}):\n    return a + b * {number}\n" for i in range(12))
        bench.write(f"many/part/m{number}.py", f'"""Part {number}."""\nVALUE = {number}\n{body}\nclass C:\n    x = 1\n    def method(self):\n        return self.x\n')
    bench.write("many/part/__init__.py", "")
    source = bench.write("many/app.py", "".join(f"import part.m{n}\n" for n in range(150)) + "print(part.m7.f3(1))\n")
    built = bench.build(source)
    built = os.path.join(bench.folder, "many/out/linux-x86_64/app")
    report_ratio("warm-start 150 modules", bench.compare([built], [bench.python, source]), "python3 app.py", 1.0)
    path = []
    for number in range(20):
        folder = os.path.join(bench.folder, f"empty/{number}")
        os.makedirs(folder, exist_ok=True)
        path.append(folder)
    with_path = ["env", "PYTHONPATH=" + ":".join(path), bench.python, "-c", f"import sys; sys.path.append({os.path.dirname(source)!r}); exec(open({source!r}).read())"]
    report_ratio("the same, 20 path entries", bench.compare([built], with_path), "with 20 entries in front", 0.9)


def write_fleet(bench, count):
    """An application of `count` modules, 50 a package, of some 130 lines each, that import three others each."""
    random = __import__("random").Random(5)
    for number in range(count):
        if number % 50 == 0:
            bench.write(f"fleet{count}/fleet/dock{number // 50}/__init__.py", f'"""Dock {number // 50}."""\n')
        imports = "import os\nimport sys\nfrom collections import defaultdict\n"
        for _ in range(3 if number else 0):
            other = random.randrange(max(0, number - 200), number)
            imports += f"from fleet.dock{other // 50} import ship{other}\n"
        body = "".join(
            f"""
class Vessel{kind}:
    \"\"\"A vessel of class {kind} that lies in dock {number // 50}.\"\"\"

    length = {kind * 10 + number % 7}

    def __init__(self, name, draught=None):
        self.name = name
        self.draught = draught or {{"fore": {kind}.5, "aft": {kind}.7}}

    def clears(self, depth, margin=0.3):
        \"\"\"Whether it may pass where the water is this deep.\"\"\"
        if depth < max(self.draught.values()) + margin:
            return False
        return all(value < depth for value in self.draught.values())

    def label(self):
        return f"{{self.name}} ({{self.length}} m) in dock {number // 50}"
"""
            for kind in range(6)
        )
        bench.write(f"fleet{count}/fleet/dock{number // 50}/ship{number}.py", f'"""Ship {number}."""\n{imports}{body}\nTABLE = {{key: [key, str(key)] for key in range(20)}}\n')
    bench.write(f"fleet{count}/fleet/__init__.py", "")
    return bench.write(f"fleet{count}/app.py", "".join(f"import fleet.dock{n // 50}.ship{n}\n" for n in range(count)))


def trace_3000(bench):
    """The trace against the interpreter, both without anything that an earlier run has kept, and with it."""
    source = write_fleet(bench, 3000)
    trace = [bench.program, "trace", source, "--runtime", bench.python, "-q"]
    pairs, bench.pairs = bench.pairs, min(bench.pairs, 5)
    without_bytecode = [bench.python, "-B", source]
    report_ratio("trace 3,000 modules, cold", bench.compare(trace, without_bytecode, before=lambda: shutil.rmtree(bench.folder + "/.cache", True)), "python3 -B app.py, no bytecode", 0.1)
    report_ratio("the same, warm", bench.compare(trace, without_bytecode), "the same", 0.02)
    bench.seconds([bench.python, source])
    report_ratio("the same, warm", bench.compare(trace, [bench.python, source]), "python3 app.py, with bytecode", 1.0)
    large = [bench.program, "trace", write_fleet(bench, 10000), "--runtime", bench.python, "-q"]
    small = [bench.program, "trace", write_fleet(bench, 1000), "--runtime", bench.python, "-q"]
    report_ratio("trace 10,000 modules", bench.compare(large, small), "for 1,000 modules", 11.0)
    bench.pairs = pairs


def rehearse(bench):
    source = bench.write("n.py", "import numpy as np\nprint(np.linalg.norm([3, 4]))\n")
    bare, watched = [], []
    # What the command says of the run itself, without the trace before and after it.
    for _ in range(bench.pairs):
        bare.append(bench.seconds([bench.python, source]))
        done = subprocess.run([bench.program, "rehearse", source, "--runtime", bench.python], cwd=bench.folder, env=bench.environment, capture_output=True, text=True, check=True)
        watched.append(float(re.search(r"after ([0-9.]+) s", done.stdout).group(1)))
    report_ratio("rehearse numpy", list(zip(watched, bare)), "python3 n.py", 2.0)


def prove(bench):
    """A proof's run, watched, against the same run in the same isolation, not watched: without strace on PATH."""
    demo = os.path.join(bench.folder, "tideboard")
    data = os.path.join(os.path.dirname(os.path.dirname(os.path.abspath(bench.program))), "share/omnistasis/demo/tideboard")
    shutil.copytree(data, demo, dirs_exist_ok=True)
    os.remove(os.path.join(demo, "tideboard.proof.toml"))
    bench.build(demo, "--form", "folder")
    tools = os.path.join(bench.folder, "tools")
    os.mkdir(tools)
    os.symlink(shutil.which("bwrap"), os.path.join(tools, "bwrap"))
    os.symlink("/bin/true", os.path.join(tools, "true"))
    output = os.path.join(demo, "out/linux-x86_64/tideboard")

    def seconds(environment):
        command = [os.path.abspath(bench.program), "prove", output, "--json", "--", "today", "--station", "halcyon", "--date", "2031-05-04"]
        done = subprocess.run(command, cwd=bench.folder, env=environment, capture_output=True, text=True, check=True)
        return json.loads(done.stdout)["runs"][0]["seconds"]

    bare = {**bench.environment, "PATH": tools}
    pairs = [(seconds(bench.environment), seconds(bare)) for _ in range(bench.pairs)]
    report_ratio("prove the demo", pairs, "the same isolation, not watched", 2.0)


def floor_size(bench, command, display=()):
    """What the files that a program opens take when they are compressed together; what every system has not counted."""
    log = os.path.join(bench.folder, "opened")
    subprocess.run([*display, "strace", "-f", "-qq", "-y", "-z", "-e", "trace=openat,open,execve", "-o", log, *command], env=bench.environment, cwd=bench.folder, capture_output=True)
    with open(os.path.join(os.path.dirname(HERE), "data/hosts/linux-x86_64.toml")) as file:
        host = [re.compile(re.escape(name).replace(r"\*", ".*") + "$") for name in re.findall(r'^    "(.*)",$', file.read(), re.M)]
    opened = {os.path.realpath(bench.python)}
    with open(log, errors="surrogateescape") as file:
        for entry in file:
            found = re.search(r"= [0-9]+<(/.*)>$", entry)
            path = found and os.path.realpath(found.group(1))
            foreign = not path or path.startswith(("/proc", "/sys", "/dev", "/etc", "/tmp/.X", "/usr/share/fonts", "/var")) or not os.path.isfile(path)
            if not foreign and not any(pattern.match(os.path.basename(found.group(1))) for pattern in host):
                opened.add(path)
    packed = os.path.join(bench.folder, "floor.tar.zst")
    names = "\0".join(sorted(opened)).encode()
    subprocess.run(["tar", "-c", "-P", "-I", "zstd -12 -q", "-f", packed, "--null", "-T", "-"], input=names, check=True)
    return os.path.getsize(packed), len(opened)


def sizes(bench):
    """Sizes against the floor: the demo, and a program with a Qt window."""
    demo = os.path.join(bench.folder, "tideboard")
    data = os.path.join(os.path.dirname(os.path.dirname(os.path.abspath(bench.program))), "share/omnistasis/demo/tideboard")
    shutil.copytree(data, demo, dirs_exist_ok=True)
    bench.build(demo)
    bench.environment["PYTHONPATH"] = demo
    floor, count = floor_size(bench, [bench.python, "-m", "tideboard", "today", "--station", "halcyon", "--date", "2031-05-04"])
    display = ["xvfb-run", "-a"]
    window, in_window = floor_size(bench, ["timeout", "4", bench.python, "-m", "tideboard", "window"], display)
    del bench.environment["PYTHONPATH"]
    size = os.path.getsize(os.path.join(demo, "out/linux-x86_64/tideboard"))
    line("size of the demo", f"{size / 1e6:.2f} MB; the {count} files that a table opens: {floor / 1e6:.2f} MB, the {in_window} of the window: {window / 1e6:.2f} MB: {size / window:.2f}", "at most 1.50", size <= 1.5 * window)
    source = bench.write("qt_window.py", "import sys\nfrom PyQt5.QtCore import QTimer\nfrom PyQt5.QtWidgets import QApplication, QLabel\napp = QApplication(sys.argv)\nlabel = QLabel('Port Halcyon')\nlabel.show()\nQTimer.singleShot(1500, app.quit)\nsys.exit(app.exec())\n")
    size = os.path.getsize(bench.build(source))
    # Without the machine's graphics driver, which belongs to no application.
    floor, count = floor_size(bench, ["timeout", "20", "env", "QT_XCB_GL_INTEGRATION=none", bench.python, source], display)
    line("size of a Qt program", f"{size / 1e6:.2f} MB; the {count} files that it opens, compressed: {floor / 1e6:.2f} MB: {size / floor:.2f}", "at most 1.50", size <= 1.5 * floor)


def rebuild(bench):
    """Builds of a plotting program: anew, after one changed line, and with nothing changed; and against tar with zstd."""
    source = bench.write("plots/plot.py", "import matplotlib\nmatplotlib.use('Agg')\nimport matplotlib.pyplot as plt\nplt.plot([1, 2])\nplt.savefig('/dev/null', format='png')\n")
    command = [bench.program, "build", source, "--runtime", bench.python, "-q"]
    forget = lambda: shutil.rmtree(bench.folder + "/.cache", True)
    count = min(bench.pairs, 5)
    cold, changed, nothing, packed = [], [], [], []
    output = bench.build(source)
    tree = os.path.join(bench.folder, "taken apart")
    bench.seconds([bench.program, "inspect", output, "--extract", tree])
    archive = os.path.join(bench.folder, "tree.tar.zst")
    pack = ["sh", "-c", f"tar -C '{tree}' -cf - . | zstd -q -f -12 -T0 -o '{archive}'"]
    for _ in range(count):
        forget()
        cold.append(bench.seconds(command))
        packed.append(bench.seconds(pack))
        with open(source, "a") as file:
            file.write("# one line more\n")
        time.sleep(0.1)  # what is younger than the clock's grain is not kept
        changed.append(bench.seconds(command))
        nothing.append(min(bench.seconds(command) for _ in range(2)))
    report_ratio("a build, nothing kept", list(zip(cold, packed)), "tar | zstd -12 -T0 of its tree", 1.3)
    line("its size", f"{os.path.getsize(output) / 1e6:.1f} MB against {os.path.getsize(archive) / 1e6:.1f} MB: {os.path.getsize(output) / os.path.getsize(archive):.3f}", "at most 1.02", os.path.getsize(output) <= 1.02 * os.path.getsize(archive))
    report_ratio("a build, one line changed", list(zip(changed, cold)), "for a new one", 0.05)
    low, middle, high = quartiles([took * 1000 for took in nothing])
    line("a build, nothing changed", f"{middle:7.1f} ms ({low:.1f} to {high:.1f})", "under 50 ms", middle < 50)
    unpack = ["sh", "-c", f"rm -rf '{bench.folder}/unpacked' && mkdir '{bench.folder}/unpacked' && tar -I zstd -C '{bench.folder}/unpacked' -xf '{archive}'"]
    first = lambda: shutil.rmtree(bench.folder + "/.cache/omnistasis", True)
    bench.seconds([output])
    pairs = [(ours - bench.seconds([output]), other) for ours, other in bench.compare([output], unpack, before=first)]
    report_ratio("a first start, less a later", pairs, "tar -I zstd -x of its tree", 1.0)


def delta(bench):
    """What is sent after one changed line of a plotting program, and what it takes to apply it, against copying the file."""
    source = bench.write("plots/plot.py", "import matplotlib\nmatplotlib.use('Agg')\nimport matplotlib.pyplot as plt\nprint('old')\n")
    for version in ("old", "new"):
        for form in ("file", "folder"):
            bench.build(source, "--form", form, "--out", os.path.join(bench.folder, f"{version} {form}"))
        bench.write("plots/plot.py", "import matplotlib\nmatplotlib.use('Agg')\nimport matplotlib.pyplot as plt\nprint('new')\n")
    for form in ("file", "folder"):
        old, new = (os.path.join(bench.folder, f"{version} {form}", "plot") for version in ("old", "new"))
        file, made, copied = (os.path.join(bench.folder, name) for name in ("delta", "made", "copied"))
        bench.seconds([bench.program, "delta", "make", old, new, "-o", file])
        size = int(subprocess.run(["du", "-sb", new], capture_output=True, check=True, text=True).stdout.split()[0])
        part = os.path.getsize(file) / size
        line(f"delta of a {form}", f"{os.path.getsize(file) / 1e3:.0f} kB of {size / 1e6:.1f} MB: {part * 100:.2f} %", "at most 1 %", part <= 0.01)

        def clear():
            for path in (made, copied):
                shutil.rmtree(path) if os.path.isdir(path) else os.path.exists(path) and os.remove(path)

        pairs = []
        for _ in range(bench.pairs):
            clear()
            pairs.append((bench.seconds([bench.program, "delta", "apply", old, file, "-o", made]), bench.seconds(["cp", "-r", old, copied])))
        report_ratio("the same, applied", pairs, f"cp -r of the {form}", 2.0)


def launcher_memory(bench):
    """The launcher's largest resident size up to where the application takes its place, and on a first start."""
    output = bench.build(bench.write("hello.py", "print('hello')\n"))
    bench.seconds([output])
    # It is stopped as it starts the application, with what it used itself.
    stopped = ["strace", "-f", "-qq", "-o", "/dev/null", "-e", "inject=execve:error=ENOENT:signal=KILL:when=2", "/usr/bin/time", "-q", "-f", "%M", output]
    measure = lambda: int(subprocess.run(stopped, env=bench.environment, capture_output=True, text=True).stderr.split()[-1])
    warm = measure()
    line("launcher's memory", f"{warm / 1000:.1f} MB", "under 4 MB", warm < 4000)
    shutil.rmtree(bench.folder + "/.cache/omnistasis")
    line("the same, first start", f"{measure() / 1000:.1f} MB (it unpacks {os.path.getsize(output) / 1e6:.1f} MB)", "-", True)


def first_start(bench):
    """First starts of a program with little and with ten times as much beside it."""
    times = []
    for megabytes in (20, 200):
        folder = f"weights {megabytes}"
        source = bench.write(f"{folder}/app.py", "print('here')\n")
        with open(os.path.join(bench.folder, folder, "weights.bin"), "wb") as file:
            for _ in range(megabytes):
                file.write(random.Random(1).randbytes(1 << 19) * 2)
        output = bench.build(source, "--asset", "weights.bin", "--compress", "fast", "--name", f"app{megabytes}")
        took = []
        for _ in range(min(bench.pairs, 7)):
            shutil.rmtree(bench.folder + "/.cache/omnistasis", True)
            took.append(bench.seconds([output]))
        times.append(statistics.median(took))
    ratio = times[1] / times[0]
    line("first start, 10 times larger", f"{times[1] * 1000:.0f} ms against {times[0] * 1000:.0f} ms: {ratio:.1f}", "at most 10", ratio <= 10)


BENCHMARKS = {"hello-size": hello_size, "warm-start": warm_start, "trace-numpy": trace_numpy, "warm-150": warm_150, "trace-3000": trace_3000, "rehearse": rehearse, "prove": prove, "rebuild": rebuild, "delta": delta, "launcher-memory": launcher_memory, "first-start": first_start, "sizes": sizes}


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--program", default=os.path.join(os.path.dirname(HERE), "build/release/bin/omnistasis"))
    parser.add_argument("--python", default="/usr/bin/python3")
    parser.add_argument("--pairs", type=int, default=20)
    parser.add_argument("names", nargs="*", metavar="NAME", help=", ".join(BENCHMARKS))
    options = parser.parse_args()
    bench = Bench(options)
    try:
        for name in options.names or BENCHMARKS:
            BENCHMARKS[name](bench)
    finally:
        shutil.rmtree(bench.folder)


if __name__ == "__main__":
    main()
