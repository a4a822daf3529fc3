#!/usr/bin/env python3
"""Measures what Omnistasis does with Node.js applications, as ratios in one run.

    bench/node.py --compiler FOLDER [--program PATH] [--scanner PATH] [--pairs N] [NAME ...]

FOLDER has the TypeScript compiler in its node_modules: npm install typescript@5. The scanner is the program
scan_javascript, built with: cmake --build --preset release --target scan_javascript
"""

import argparse
import os
import subprocess
import sys

from bench import HERE, Bench, line, report_ratio


def scanner(bench):
    files = []
    for folder, _, names in os.walk(os.path.join(bench.compiler, "node_modules")):
        files += [os.path.join(folder, name) for name in names if name.endswith((".js", ".cjs", ".mjs"))]
    files.sort()
    cat = min(bench.seconds(["cat", *files]) for _ in range(bench.pairs))
    rates = []
    for _ in range(bench.pairs):
        count, seconds, _requests = subprocess.run([bench.scanner, *files], capture_output=True, text=True, check=True).stdout.split()
        rates.append(int(count) / float(seconds) / 1e6)
    rates.sort()
    middle = rates[len(rates) // 2]
    line("javascript-scanner", f"{count} bytes at {middle:.0f} MB/s ({rates[0]:.0f} to {rates[-1]:.0f}) on one core; cat takes {cat * 1000:.1f} ms", "at least 150 MB/s", middle >= 150)


def compiler_start(bench):
    entry = os.path.join(bench.compiler, "node_modules/typescript/bin/tsc")
    built = bench.build(entry, "--name", "tsc", "--out", "compiler")
    bench.seconds([built, "--version"])
    report_ratio("compiler-warm-start", bench.compare([built, "--version"], ["node", entry, "--version"]), "node", 0.8)


def trace_20000(bench):
    packages = 400
    for package in range(packages):
        name = f"fleet/node_modules/p{package}"
        bench.write(f"{name}/package.json", f'{{"name": "p{package}", "version": "1.0.0"}}')
        for number in range(49):
            asked = [f"./m{number + 1}"] if number < 48 else []
            if number == 0 and package + 1 < packages:
                asked.append(f"p{package + 1}")
            text = "".join(f"const q{i} = require('{one}');\n" for i, one in enumerate(asked))
            text += "".join(f"exports.f{i} = (x) => x.map((y) => y / {i + 1}).filter((z) => /[a-z]+/.test(z)); // {i}\n" for i in range(30))
            bench.write(f"{name}/{'index' if number == 0 else f'm{number}'}.js", text)
    entry = bench.write("fleet/main.js", "require('p0');\n")
    fleet = os.path.dirname(entry)
    trace = [bench.program, "trace", entry, "--runtime", "node", "-q"]
    cache = os.path.join(bench.folder, ".cache")
    pairs = bench.compare(trace, ["find", os.path.join(fleet, "node_modules"), "-type", "f", "-exec", "cat", "{}", "+"], lambda: subprocess.run(["rm", "-rf", cache]))
    report_ratio("trace-20000 (cold)", pairs, "find reading all", 2.0)
    pairs = bench.compare(trace, ["find", os.path.join(fleet, "node_modules"), "-type", "f", "-exec", "cat", "{}", "+"])
    report_ratio("trace-20000 (nothing changed)", pairs, "find reading all", 2.0)


BENCHMARKS = {"scanner": scanner, "compiler-start": compiler_start, "trace-20000": trace_20000}


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--program", default=os.path.join(HERE, "../build/release/bin/omnistasis"))
    parser.add_argument("--scanner", default=os.path.join(HERE, "../build/release/bin/scan_javascript"))
    parser.add_argument("--compiler", required=True)
    parser.add_argument("--pairs", type=int, default=11)
    parser.add_argument("names", nargs="*")
    options = parser.parse_args()
    options.python = "node"
    bench = Bench(options)
    bench.program = os.path.abspath(options.program)
    bench.scanner, bench.compiler = options.scanner, os.path.abspath(options.compiler)
    try:
        for name in options.names or BENCHMARKS:
            if name not in BENCHMARKS:
                sys.exit(f"there is no benchmark {name}: {', '.join(BENCHMARKS)}")
            BENCHMARKS[name](bench)
    finally:
        subprocess.run(["rm", "-rf", bench.folder])


main()
