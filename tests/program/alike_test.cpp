// Programs that must do the same from source and built, in both forms, where nothing but the C library is.
#include "workshop.h"

#include <catch2/catch.hpp>

using omnistasis::test::Workshop;

TEST_CASE("hello world") {
    Workshop workshop("hello");
    workshop.write("hello.py", "import sys\nprint('hello', sys.argv[1:])\nsys.exit(5)\n");
    CHECK(workshop.check_alike("hello.py", {"a b", "c"}).starts_with("hello"));
}

TEST_CASE("numerics") {
    Workshop workshop("numpy");
    workshop.write("n.py", "import numpy as np\nprint(np.linalg.solve([[3., 1.], [1., 2.]], [9., 8.]), "
                           "np.random.default_rng(7).normal(size=3))\n"
                           "print(np.fft.fft([1, 2, 3, 4]), np.linalg.svd(np.eye(3))[1])\n");
    CHECK(workshop.check_alike("n.py").starts_with("[2. 3.]"));
}

TEST_CASE("modules that are loaded by names from a table") {
    Workshop workshop("pygments");
    workshop.write("p.py", "from pygments import highlight\nfrom pygments.lexers import "
                           "get_lexer_by_name\nfrom pygments.formatters import get_formatter_by_name\n"
                           "for name in ('python', 'c', 'rust'):\n    print(highlight('x = 1 /* y */', "
                           "get_lexer_by_name(name), get_formatter_by_name('html')))\n");
    workshop.check_alike("p.py");
}

TEST_CASE("a package with a compiled module") {
    Workshop workshop("yaml");
    workshop.write("y.py", "import yaml\nprint(yaml.safe_load('a: [1, {b: c}]'), yaml.dump({'x': [1, 2]}), "
                           "yaml.__with_libyaml__)\n");
    workshop.check_alike("y.py");
}

TEST_CASE("a program that somebody else wrote, started by its entry point") {
    Workshop workshop("yamllint");
    workshop.check_alike("/usr/bin/yamllint", {"--version"});
    workshop.check_alike("/usr/bin/yamllint", {"-d", "relaxed", "/nowhere.yaml"});
}

TEST_CASE("package data, plugins by name, files beside the source, child processes and pickles") {
    Workshop workshop("mixed");
    workshop.write("harbour/__init__.py", "");
    workshop.write(
        "harbour/quay.py",
        "import os\nfrom importlib import resources, import_module\n"
        "def read():\n    return resources.files('harbour').joinpath('data', 'depths.txt').read_text()\n"
        "def beside():\n    return open(os.path.join(os.path.dirname(__file__), 'data', "
        "'depths.txt')).read()\n"
        "def plugin(name):\n    return import_module('harbour.plugins.' + name).WORD\n");
    workshop.write("harbour/data/depths.txt", "7.4\n");
    workshop.write("harbour/plugins/__init__.py", "");
    workshop.write("harbour/plugins/wind.py", "WORD = 'windy'\n");
    workshop.write("notes/text.txt", "a note\n");
    workshop.write("main.py", R"py(import multiprocessing, os, pickle, pkgutil, subprocess, sys
from pathlib import Path
import harbour.plugins
from harbour import quay

class Ship:
    def __init__(self, name): self.name = name
    def __reduce__(self): return (Ship, (self.name,))

def double(x): return 2 * x

if __name__ == "__main__":
    print(quay.read(), quay.beside(), quay.plugin("wind"))
    print((Path(__file__).parent / "notes" / "text.txt").read_text())
    print(pickle.loads(pickle.dumps(Ship("Petrel"))).name)
    print([m.name for m in pkgutil.iter_modules(harbour.plugins.__path__)])
    print(subprocess.run([sys.executable, "-c", "import sys, harbour.quay; print(harbour.quay.read(), sys.argv)", "x"], capture_output=True, text=True).stdout)
    print(os.path.basename(__file__), __name__, __package__, __doc__)
    for method in ("spawn", "forkserver", "fork"):
        with multiprocessing.get_context(method).Pool(2) as pool:
            print(method, pool.map(double, [1, 2, 3]))
    print(sorted(n for n in ("exit", "quit", "help") if n in dir(__builtins__)))
    exit(3)
)py");
    workshop.check_alike("main.py", {}, {"--include", "harbour.plugins.*"});
}

TEST_CASE("the environment of the user changes nothing, and is passed on") {
    Workshop workshop("environment");
    workshop.write("elsewhere/json.py", "raise SystemExit('the wrong json')\n");
    workshop.write("e.py",
                   "import json, os, subprocess, sys\nprint(json.dumps([sys.flags.optimize, "
                   "sys.flags.dont_write_bytecode]))\n"
                   "print(subprocess.run(['env'], capture_output=True, text=True).stdout.count('PYTHON'))\n"
                   "print(sorted(n for n in os.environ if 'OMNI' in n))\n");
    REQUIRE(workshop.omnistasis({"build", "e.py", "--compress", "fast"}).exit_code == 0);
    auto run =
        workshop.shell("env -i PATH=\"$PATH\" OMNISTASIS_CACHE=\"$OMNISTASIS_CACHE\" PYTHONPATH=elsewhere "
                       "PYTHONHOME=/nowhere PYTHONOPTIMIZE=2 LD_LIBRARY_PATH=/nowhere ./out/linux-x86_64/e");
    CHECK(run.out == "[0, 0]\n3\n['OMNISTASIS_CACHE']\n");
    CHECK(run.err.empty());
}

TEST_CASE("an uncaught exception names the right files and lines, and nothing of ours") {
    Workshop workshop("traceback");
    workshop.write("t.py", "import helper\n\n\nhelper.fail()\n");
    workshop.write("helper.py", "def fail():\n    raise ValueError('shoal')\n");
    REQUIRE(workshop.omnistasis({"build", "t.py", "--compress", "fast"}).exit_code == 0);
    auto run = workshop.shell("./out/linux-x86_64/t");
    CHECK(run.exit_code == 1);
    CHECK(run.err.starts_with("Traceback (most recent call last):\n  File \""));
    CHECK(run.err.find("app/t.py\", line 4, in <module>\n") != std::string::npos);
    CHECK(run.err.find("app/helper.py\", line 2, in fail\n") != std::string::npos);
    CHECK(run.err.ends_with("ValueError: shoal\n"));
    CHECK(run.err.find("_omnistasis") == std::string::npos);
}

TEST_CASE("signals end it as they end the interpreter") {
    Workshop workshop("signals");
    workshop.write("s.py", "import os, signal, sys\nos.kill(os.getpid(), int(sys.argv[1]))\n");
    REQUIRE(workshop.omnistasis({"build", "s.py", "--compress", "fast"}).exit_code == 0);
    // SIGINT raises KeyboardInterrupt, is reported, and then kills the process.
    auto interrupted = omnistasis::run_program({(workshop.path("out/linux-x86_64/s")).string(), "2"});
    REQUIRE(interrupted);
    CHECK(interrupted->exit_code == 130);
    CHECK(interrupted->err.ends_with("KeyboardInterrupt\n"));
    CHECK(omnistasis::run_program({(workshop.path("out/linux-x86_64/s")).string(), "15"})->exit_code == 143);
    CHECK(workshop.shell("echo typed | ./out/linux-x86_64/s 0").exit_code == 0);
}
