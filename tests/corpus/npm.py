#!/usr/bin/env python3
"""Builds command-line programs from npm and runs them in an empty root, against the same from source.

    tests/corpus/npm.py [--program PATH] [--folder FOLDER] [NAME ...]

Needs npm and its registry, bubblewrap, and minutes. What differs from run to run (times) is masked.
"""

import argparse
import os
import re
import subprocess
import sys
import tempfile

HERE = os.path.dirname(os.path.abspath(__file__))
SPLIT = "export const x = 1; export const y = 2\n"
USE = 'import { x } from "./b.js"; console.log(x)\n'

# Name, packages, entry, arguments, files in the folder that it runs in.
PROGRAMS = [
    ("compiler", ["typescript@5.9.3"], "node_modules/.bin/tsc", ["--pretty", "false", "--noEmit", "t.ts"],
     {"t.ts": 'const berth: number = 3; const tide: string = berth; console.log(tide);\n'}),
    ("linter", ["eslint@9.39.5"], "node_modules/.bin/eslint", ["p.js"],
     {"p.js": "var b = 2; if (b == 1) { b = 3 }\n", "eslint.config.js": 'module.exports = [{ files: ["**/*.js"], rules: { eqeqeq: "error", "no-var": "error" } }]\n'}),
    ("formatter", ["prettier@3"], "node_modules/.bin/prettier", ["p.js", "q.css"], {"p.js": "const a = {b:1,\nc:2}\n", "q.css": "a{b:c}\n"}),
    ("bundler with an addon", ["rollup@4"], "node_modules/.bin/rollup", ["a.mjs", "-f", "cjs", "--silent"], {"a.mjs": USE, "b.js": SPLIT, "package.json": '{"type": "module"}'}),
    ("bundler with plugins", ["webpack@5", "webpack-cli@6"], "node_modules/.bin/webpack", ["--mode", "production", "./a.mjs"], {"a.mjs": USE, "b.js": SPLIT, "package.json": '{"type": "module"}'}),
    ("test runner", ["mocha@11"], "node_modules/.bin/mocha", ["t.js"], {"t.js": 'const a = require("assert"); describe("tide", () => { it("rises", () => a.equal(1, 1)); it("falls", () => a.equal(2, 1)) })\n'}),
    ("test runner with workers", ["jest@30"], "node_modules/.bin/jest", ["--colors=false"], {"package.json": "{}", "a.test.js": 'test("tide", () => expect(1).toBe(1))\n'}),
    ("site builder", ["vite@7"], "node_modules/.bin/vite", ["build"], {"index.html": "<script type=module src=a.js></script>\n", "a.js": USE, "b.js": SPLIT}),
    ("server framework, ES modules", ["fastify@5"], "serve.mjs", [], {}),
    ("server framework", ["express@5"], "serve.js", [], {}),
    ("password hashes, an addon", ["bcrypt@6"], "hash.js", [], {}),
]
SOURCES = {
    "serve.mjs": "import Fastify from 'fastify';\nconst app = Fastify();\napp.get('/:day', async (q) => ({ day: q.params.day }));\n"
                 "const a = await app.inject({ url: '/monday' });\nconsole.log(a.statusCode, a.body);\n",
    "serve.js": "const app = require('express')();\napp.get('/', (q, r) => r.json({ berth: 4 }));\nconst s = app.listen(0, '127.0.0.1', async () => {\n"
                "  const t = await fetch('http://127.0.0.1:' + s.address().port + '/'); console.log(t.status, await t.text()); s.close(); });\n",
    "hash.js": "const b = require('bcrypt'); console.log(b.compareSync('tide', b.hashSync('tide', 4)));\n",
}
SYSTEM = ["/lib64/ld-linux-x86-64.so.2"] + [f"/lib/x86_64-linux-gnu/{name}" for name in ("libc.so.6", "libm.so.6", "libdl.so.2", "libpthread.so.0", "librt.so.1")]


def masked(text, work):
    text = re.sub(r"\d+(\.\d+)? ?m?s\b(, estimated \d+ s)?", "<time>", text.replace(work, "<work>"))
    return re.sub(r" \(<time>\)", "", text)  # said of slow ones only


def run(name, packages, entry, arguments, files, options):
    folder = os.path.join(options.folder, re.sub(r"\W+", "-", name))
    os.makedirs(folder, exist_ok=True)
    if not os.path.isdir(os.path.join(folder, "node_modules")):
        with open(os.path.join(folder, "package.json"), "w") as file:
            file.write('{"name": "corpus", "private": true}\n')
        subprocess.run(["npm", "install", "--no-audit", "--no-fund", "--silent", *packages], cwd=folder, check=True)
    if entry in SOURCES:
        with open(os.path.join(folder, entry), "w") as file:
            file.write(SOURCES[entry])
    built = subprocess.run([options.program, "build", entry, "-q", "--name", "frozen", "--compress", "fast", "--out", "out"], cwd=folder, capture_output=True, text=True)
    if built.returncode != 0:
        return f"does not build: {built.stderr}"
    outputs = []
    for isolated in (False, True):
        with tempfile.TemporaryDirectory(prefix="omnistasis-npm-") as work:
            for place, content in files.items():
                with open(os.path.join(work, place), "w") as file:
                    file.write(content)
            command = ["node", os.path.join(folder, entry)]
            if isolated:
                command = ["bwrap", "--unshare-all", "--proc", "/proc", "--dev", "/dev", "--tmpfs", "/tmp", "--tmpfs", "/home", "--clearenv", "--setenv", "HOME", "/home"]
                for library in SYSTEM:
                    command += ["--ro-bind", library, library]
                command += ["--bind", work, work, "--chdir", work, "--ro-bind", os.path.join(folder, "out/frozen"), "/frozen", "/frozen"]
            done = subprocess.run(command + arguments, cwd=work, env={"PATH": os.environ["PATH"], "HOME": work}, capture_output=True, text=True, timeout=180)
            outputs.append((done.returncode, masked(done.stdout, work), masked(done.stderr, work)))
    if outputs[0] == outputs[1]:
        return ""
    return f"from source {outputs[0]}\n    built {outputs[1]}"


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--program", default=os.path.join(HERE, "../../build/release/bin/omnistasis"))
    parser.add_argument("--folder", default=os.path.join(tempfile.gettempdir(), "omnistasis-npm-corpus"))
    parser.add_argument("names", nargs="*")
    options = parser.parse_args()
    options.program = os.path.abspath(options.program)
    failed = 0
    for name, *rest in PROGRAMS:
        if options.names and not any(one in name for one in options.names):
            continue
        wrong = run(name, *rest, options)
        failed += wrong != ""
        print(f"{name:30} {'alike' if not wrong else wrong}", flush=True)
    print("all alike" if failed == 0 else f"{failed} differ")
    return 1 if failed else 0


sys.exit(main())
