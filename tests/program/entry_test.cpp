// Entry points in all their forms, and where Python comes from.
#include "workshop.h"

#include <catch2/catch.hpp>

using omnistasis::test::Workshop;

namespace {

/// A package in `src`, with a pyproject.toml that names a program of it.
void write_halyard(Workshop& workshop, const std::string& scripts) {
    workshop.write("pyproject.toml", "[project]\nname = \"halyard\"\nversion = \"2.1\"\n" + scripts);
    workshop.write("src/halyard/__init__.py", "");
    workshop.write("src/halyard/__main__.py", "print('run', __name__, __package__, __spec__.name)\n");
    workshop.write("src/halyard/knots.py",
                   "import sys\n\ndef tie():\n    print('tied', sys.argv[1:], __name__)\n"
                   "    return 3\n\nclass Rope:\n    @staticmethod\n    def coil():\n"
                   "        print('coiled')\n");
}

} // namespace

TEST_CASE("a project with a pyproject.toml needs nothing else") {
    Workshop workshop("pyproject");
    write_halyard(workshop, "[project.scripts]\nhalyard-tie = \"halyard.knots:tie\"\n");
    REQUIRE(workshop.omnistasis({"build", ".", "--compress", "fast"}).exit_code == 0);
    auto run = workshop.shell("./out/linux-x86_64/halyard-tie a 'b c'");
    CHECK(run.out == "tied ['a', 'b c'] halyard.knots\n");
    CHECK(run.exit_code == 3);
}

TEST_CASE("a program for a desktop in a pyproject.toml is in window mode") {
    Workshop workshop("gui-scripts");
    write_halyard(workshop, "[project.gui-scripts]\nhalyard = \"halyard.knots:tie\"\n");
    auto built = workshop.omnistasis({"build", "--compress", "fast"});
    CHECK(built.out.find("window mode") != std::string::npos);
}

TEST_CASE("several programs in a pyproject.toml are named") {
    Workshop workshop("scripts");
    write_halyard(workshop,
                  "[project.scripts]\none = \"halyard.knots:tie\"\ntwo = \"halyard.knots:Rope.coil\"\n");
    auto built = workshop.omnistasis({"build"});
    CHECK(built.exit_code == 3);
    CHECK(built.err.find("its scripts are one, two") != std::string::npos);
    CHECK(built.err.find("name one: halyard.knots:tie, halyard.knots:Rope.coil") != std::string::npos);
    REQUIRE(workshop.omnistasis({"build", "halyard.knots:Rope.coil", "--name", "two", "--compress", "fast"})
                .exit_code == 0);
    CHECK(workshop.shell("./out/linux-x86_64/two").out == "coiled\n");
}

TEST_CASE("a package, its main module and its folder are the same entry point") {
    Workshop workshop("package");
    write_halyard(workshop, "");
    for (const char* entry : {"halyard", "halyard.__main__", "src/halyard", "src/halyard/__main__.py", "."}) {
        INFO(entry);
        REQUIRE(workshop.omnistasis({"build", entry, "--out", "made", "--compress", "fast"}).exit_code == 0);
        CHECK(workshop.shell("./made/halyard").out == "run __main__ halyard halyard.__main__\n");
    }
}

TEST_CASE("an installed package is an entry point") {
    Workshop workshop("installed");
    REQUIRE(workshop.omnistasis({"build", "yamllint", "--compress", "fast"}).exit_code == 0);
    CHECK(workshop.shell("./out/linux-x86_64/yamllint --version").out.starts_with("yamllint"));
    auto wrong = workshop.omnistasis({"build", "yamllnt"});
    CHECK(wrong.exit_code == 3);
    CHECK(wrong.err.find("did you mean yamllint?") != std::string::npos);
}

TEST_CASE("a function that its module does not have is a loose end") {
    Workshop workshop("function");
    write_halyard(workshop, "");
    auto traced = workshop.omnistasis({"trace", "halyard.knots:tye"});
    CHECK(traced.exit_code == 0);
    CHECK(traced.err.find("halyard.knots names no tye") != std::string::npos);
    CHECK(traced.err.find("did you mean tie?") != std::string::npos);
}

TEST_CASE("packages in zip files on the search path") {
    Workshop workshop("zipped");
    workshop.write("in/lantern/__init__.py",
                   "import pkgutil\nDATA = pkgutil.get_data('lantern', 'oil.txt')\n");
    workshop.write("in/lantern/oil.txt", "whale\n");
    workshop.write("z.py", "import lantern\nprint(lantern.DATA.decode())\n");
    workshop.shell("cd in && python3 -m zipfile -c ../lantern.egg lantern");
    std::string with_egg = std::string("export HOME=\"$PWD/home\" PYTHONPATH=\"$PWD/lantern.egg\"; ");
    auto built = workshop.shell(with_egg + omnistasis::test::quoted_program +
                                " build z.py --compress fast --runtime " + omnistasis::test::interpreter);
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(workshop.shell("./out/linux-x86_64/z").out == "whale\n\n");
    workshop.write("lantern.egg", "PK\3\4 but nothing more");
    built = workshop.shell(with_egg + omnistasis::test::quoted_program + " build z.py --runtime " +
                           omnistasis::test::interpreter);
    CHECK(built.exit_code == 3);
    CHECK(built.err.find("can't unpack a zipped package") != std::string::npos);
}

TEST_CASE("virtual environments: their own packages, editable ones and path files") {
    Workshop workshop("environment");
    std::string packages = workshop.make_environment();
    workshop.write(packages + "buoy/__init__.py", "COLOUR = 'red'\n");
    workshop.write("elsewhere/src/mooring/__init__.py", "DEPTH = 7\n");
    workshop.write(packages + "__editable__.mooring.pth", workshop.path("elsewhere/src").string() + "\n");
    workshop.write("further/anchor.py", "WEIGHT = 80\n");
    workshop.write(packages + "code.pth",
                   "import sys; sys.path.append('" + workshop.path("further").string() + "')\n");
    workshop.write("v.py",
                   "import anchor, buoy, mooring\nprint(buoy.COLOUR, mooring.DEPTH, anchor.WEIGHT)\n");
    auto built =
        workshop.shell(std::string(omnistasis::test::quoted_program) + " build v.py --compress fast");
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    workshop.shell("rm -r elsewhere further .venv");
    CHECK(workshop.shell("./out/linux-x86_64/v").out == "red 7 80\n");
}

TEST_CASE(
    "what the interpreter compiled of a package is taken as it is, unless the source is another since") {
    Workshop workshop("compiled before");
    std::string packages = workshop.make_environment();
    workshop.write(
        "v.py",
        "import buoy, traceback\ntry: buoy.colour()\nexcept ValueError: print(traceback.format_exc())\n");
    auto write = [&](const std::string& colour) {
        workshop.write(packages + "buoy.py", "def colour():\n    raise ValueError('" + colour + "')\n");
        workshop.shell("touch -d '2026-01-02 03:04:05' " + packages + "buoy.py");
    };
    auto build_and_run = [&] {
        return workshop
            .shell("export XDG_CACHE_HOME=\"$PWD/cache\"; rm -rf out cache; " +
                   std::string(omnistasis::test::quoted_program) +
                   " build v.py --compress fast -q && ./out/linux-x86_64/v && sha256sum < out/linux-x86_64/v")
            .out;
    };
    const std::string compile = ".venv/bin/python3 -m compileall -q .venv/lib";
    write("red");
    std::string compiled = build_and_run();
    CHECK(compiled.find("buoy.py\", line 2, in colour") != std::string::npos);
    workshop.shell(compile);
    CHECK(build_and_run() == compiled);
    // A source of the time and the size that the file tells is not looked at, by the interpreter neither.
    write("sea");
    CHECK(workshop.shell(".venv/bin/python3 v.py").out.find("ValueError: red") != std::string::npos);
    CHECK(build_and_run().find("ValueError: red") != std::string::npos);
    workshop.shell("touch " + packages + "buoy.py");
    CHECK(build_and_run().find("ValueError: sea") != std::string::npos);
}

TEST_CASE("a virtual environment whose interpreter is gone") {
    Workshop workshop("broken");
    workshop.write(".venv/pyvenv.cfg", "home = /nowhere\n");
    workshop.shell("mkdir -p .venv/bin && ln -s /nowhere/python3 .venv/bin/python3");
    workshop.write("b.py", "print(1)\n");
    auto built =
        workshop.shell(std::string("env -u VIRTUAL_ENV ") + omnistasis::test::quoted_program + " build b.py");
    CHECK(built.exit_code == 4);
    CHECK(built.err.find("the virtual environment's interpreter can't be started") != std::string::npos);
    CHECK(built.err.find("make the virtual environment anew") != std::string::npos);
}

TEST_CASE("sources go along when they are asked for") {
    Workshop workshop("sources");
    workshop.write("s.py", "import inspect\nimport helper\nprint(inspect.getsource(helper.f))\n");
    workshop.write("helper.py", "def f():\n    return 'shown'\n");
    auto traced = workshop.omnistasis({"trace", "s.py"});
    CHECK(traced.err.find("a source text is asked for") != std::string::npos);
    CHECK(traced.err.find("s.py:3") != std::string::npos);
    workshop.write("omnistasis.toml", "[app]\nentry = \"s.py\"\n[runtime]\nsources = true\n");
    auto built = workshop.omnistasis({"build", "--compress", "fast"});
    CHECK(built.err.find("loose end") == std::string::npos);
    CHECK(workshop.shell("./out/linux-x86_64/s").out == "def f():\n    return 'shown'\n\n");
}

TEST_CASE("native files go along without debug symbols, or with them where the project says so") {
    Workshop workshop("symbols");
    workshop.write("tide.c", "int tide(void) { return 7; }\n");
    REQUIRE(workshop.shell("gcc -g -shared -fPIC -o libtide.so tide.c").exit_code == 0);
    workshop.write("main.py",
                   "import ctypes, os\n"
                   "print(ctypes.CDLL(os.path.join(os.path.dirname(__file__), 'libtide.so')).tide())\n");
    auto has_symbols = [&](const std::string& folder) {
        REQUIRE(workshop.omnistasis({"build", "main.py", "--compress", "fast"}).exit_code == 0);
        CHECK(workshop.shell("out/linux-x86_64/main").out == "7\n");
        REQUIRE(workshop.omnistasis({"inspect", "out/linux-x86_64/main", "--extract", folder}).exit_code ==
                0);
        auto sections = workshop.shell("readelf -SW " + folder + "/app/libtide.so");
        REQUIRE(sections.exit_code == 0);
        return sections.out.find(".debug_info") != std::string::npos;
    };
    CHECK(!has_symbols("without"));
    workshop.write("omnistasis.toml", "[native]\nkeep_debug_symbols = true\n");
    CHECK(has_symbols("with"));
}

TEST_CASE("assertions and docstrings are as from source, or left out") {
    Workshop workshop("docstrings");
    workshop.write(
        "d.py",
        "\"\"\"Depths.\"\"\"\nimport subprocess, sys\n\ndef f():\n    'Doc.'\n    assert False\n\n"
        "print(__doc__, f.__doc__, __debug__, sys.flags.optimize)\n"
        "print(subprocess.run([sys.executable, '-c', 'print(__debug__)'], text=True, "
        "capture_output=True).stdout)\ntry:\n    f()\nexcept AssertionError:\n    print('asserted')\n");
    REQUIRE(workshop.omnistasis({"build", "d.py", "--compress", "fast"}).exit_code == 0);
    CHECK(workshop.shell("./out/linux-x86_64/d").out == "Depths. Doc. True 0\nTrue\n\nasserted\n");
    workshop.write("omnistasis.toml", "[app]\nentry = \"d.py\"\n[runtime]\ndrop_docstrings = true\n");
    REQUIRE(workshop.omnistasis({"build", "--compress", "fast"}).exit_code == 0);
    CHECK(workshop.shell("./out/linux-x86_64/d").out == "None None False 2\nFalse\n\n");
}

TEST_CASE("relative paths are found in the application's own folder, or are a loose end") {
    Workshop workshop("relative");
    workshop.write("charts/north.txt", "deep\n");
    workshop.write("r.py", "print(open('charts/north.txt').read())\n");
    auto traced = workshop.omnistasis({"trace", "r.py"});
    CHECK(traced.err.find("charts/north.txt is opened relative to the folder that the caller is in") !=
          std::string::npos);
    workshop.write("omnistasis.toml", "[app]\nentry = \"r.py\"\nworking_folder = \"app\"\n");
    auto built = workshop.omnistasis({"build", "--compress", "fast", "--strict"});
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(workshop.shell("cd / && \"$OLDPWD\"/out/linux-x86_64/r").out == "deep\n\n");
    REQUIRE(
        workshop.omnistasis({"build", "--compress", "fast", "--form", "folder", "--out", "o"}).exit_code ==
        0);
    CHECK(workshop.shell("cd / && \"$OLDPWD\"/o/r/r").out == "deep\n\n");
    // A window's program starts in its own folder without being told.
    workshop.write("omnistasis.toml", "[app]\nentry = \"r.py\"\nmode = \"window\"\n");
    REQUIRE(workshop.omnistasis({"build", "--compress", "fast", "--out", "w"}).exit_code == 0);
    CHECK(workshop.shell("cd / && \"$OLDPWD\"/w/r").out == "deep\n\n");
}

TEST_CASE("a wrong word for the working folder") {
    Workshop workshop("word");
    workshop.write("r.py", "print(1)\n");
    workshop.write("omnistasis.toml", "[app]\nentry = \"r.py\"\nworking_folder = \"home\"\n");
    auto built = workshop.omnistasis({"build"});
    CHECK(built.exit_code == 3);
    CHECK(built.err.find("omnistasis.toml:3:") != std::string::npos);
    CHECK(built.err.find("it is one of caller, app") != std::string::npos);
    workshop.write("omnistasis.toml", "[app]\nentry = \"r.py\"\n[runtime]\nsources = \"yes\"\n");
    CHECK(workshop.omnistasis({"build"}).err.find("true or false is expected, here is a string") !=
          std::string::npos);
}

TEST_CASE("a toolkit that only packages could use comes with an application that wants it") {
    Workshop workshop("toolkit");
    std::string packages = workshop.make_environment();
    workshop.write(packages + "sextant/__init__.py",
                   "try:\n    import tkinter.font\nexcept ImportError:\n    tkinter = None\n"
                   "def draw():\n    import sextant.window\n");
    workshop.write(packages + "sextant/window.py", "import tkinter.ttk\n");
    workshop.write("s.py", "import sextant\nprint(sextant.tkinter)\n");
    auto run = [&](const std::string& rest) {
        return workshop.shell(std::string("env -u VIRTUAL_ENV ") + omnistasis::test::quoted_program + " " +
                              rest);
    };
    auto built = run("build s.py --compress fast");
    INFO(built.out << built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(built.out.find("left out, as only packages ask for it and can do without: tkinter (") !=
          std::string::npos);
    CHECK(workshop.shell("./out/linux-x86_64/s").out == "None\n");
    auto why = run("why tkinter.font s.py");
    CHECK(why.exit_code == 1);
    CHECK(why.err.find("tkinter.font is left out") != std::string::npos);
    CHECK(why.err.find("sextant/__init__.py:2") != std::string::npos);
    CHECK(run("why tkinter.font s.py --include tkinter").exit_code == 0);
    workshop.write("own.py", "import sextant\ndef f():\n    import tkinter\n");
    CHECK(run("why tkinter.font own.py").exit_code == 0);
    CHECK(run("why tkinter.ttk own.py").exit_code == 0);
    // A package that can't do without it wants it too.
    workshop.write(packages + "chartview.py", "import tkinter\n");
    workshop.write("view.py", "import chartview\n");
    CHECK(run("why tkinter view.py").exit_code == 0);
    // So does one that takes any of several, and can't be imported without one.
    workshop.write(packages + "palette/__init__.py",
                   "try:\n    import PyQt5.QtCore\nexcept ImportError:\n    try:\n        import tkinter\n"
                   "    except ImportError:\n        raise RuntimeError('no toolkit') from None\n");
    workshop.write("paint.py", "import palette\nprint(palette.tkinter.TkVersion > 8)\n");
    CHECK(run("why tkinter paint.py").exit_code == 0);
    REQUIRE(run("build paint.py --compress fast").exit_code == 0);
    CHECK(workshop.shell("./out/linux-x86_64/paint").out == "True\n");
}

TEST_CASE("the summary names the largest parts and how to leave them out") {
    Workshop workshop("largest");
    workshop.write(
        "l.py",
        "import decimal\ntry:\n    import numpy\nexcept ImportError:\n    numpy = None\nprint(numpy)\n");
    auto built = workshop.omnistasis({"build", "l.py", "--compress", "fast"});
    CHECK(built.out.find("--exclude numpy leaves it out") != std::string::npos);
    auto json = workshop.omnistasis({"build", "l.py", "--compress", "fast", "--json"});
    CHECK(json.out.find("\"saves\"") != std::string::npos);
    REQUIRE(workshop.omnistasis({"build", "l.py", "--compress", "fast", "--exclude", "numpy"}).exit_code ==
            0);
    CHECK(workshop.shell("./out/linux-x86_64/l").out == "None\n");
}

TEST_CASE("a command of an environment whose path has a space is built with its own interpreter") {
    Workshop workshop("spaced", "");
    std::string packages = workshop.make_environment();
    workshop.write(packages + "tide/__init__.py", "def main():\n    print('high water')\n");
    std::string python = workshop.path(".venv/bin/python3").string();
    REQUIRE(python.find(' ') != std::string::npos);
    // As pip writes it.
    workshop.write(".venv/bin/tide", "#!/bin/sh\n'''exec' \"" + python +
                                         "\" \"$0\" \"$@\"\n' '''\nfrom tide import main\nmain()\n");
    auto built =
        workshop.shell(std::string(omnistasis::test::quoted_program) + " build .venv/bin/tide -q --out out");
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(workshop.shell("mv .venv away && out/tide").out == "high water\n");
}

TEST_CASE("the start script of an environment's command leaves no path of this machine") {
    Workshop workshop("start script");
    std::string packages = workshop.make_environment();
    std::string python = workshop.path(".venv/bin/python3").string();
    workshop.write(".venv/bin/tide",
                   "#!/bin/sh\n'''exec' \"" + python +
                       "\" \"$0\" \"$@\"\n' '''\nimport inspect\nimport quay\n"
                       "def main():\n    print(inspect.getsource(quay.berth)[:9])\nmain()\n");
    workshop.write(packages + "quay.py", "def berth():\n    return 4\n");
    REQUIRE(workshop.shell("chmod +x .venv/bin/tide").exit_code == 0);
    auto built =
        workshop.shell(std::string(omnistasis::test::quoted_program) + " build .venv/bin/tide -q --out out");
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    workshop.omnistasis({"inspect", "out/tide", "--extract", "made"});
    // The first lines name the environment's interpreter.
    CHECK_FALSE(omnistasis::is_there(workshop.path("made/app/tide")));
    CHECK(workshop.shell("ls made/lib").exit_code == 0);
}

TEST_CASE("of a command that is not there no module of its name is taken") {
    Workshop workshop("no command");
    workshop.make_environment();
    workshop.write(".venv/bin/tide.py", "print('high water')\n");
    auto refused = workshop.omnistasis({"build", ".venv/bin/tide"});
    CHECK(refused.exit_code == 3);
    CHECK(refused.err.find("the entry point is not there") != std::string::npos);
    CHECK(refused.err.find("did you mean tide.py?") != std::string::npos);
}

TEST_CASE("a project's own package lore, with conditions on versions") {
    Workshop workshop("lore");
    workshop.write("n.py",
                   "import harbourlib\nprint(harbourlib.load('al' + 'pha'), harbourlib.load('be' + 'ta'))\n");
    workshop.write("harbourlib.py", "def load(name):\n    try:\n        return __import__(name).WORD\n"
                                    "    except ImportError:\n        return None\n");
    workshop.write("alpha.py", "WORD = 'first'\n");
    workshop.write("beta.py", "WORD = 'second'\n");
    workshop.write("omnistasis.toml", "[app]\nentry = \"n.py\"\n[trace]\nlore = [\"ours.toml\"]\n");
    workshop.write("ours.toml", "format = 1\n[[lore]]\nmodule = \"harbourlib\"\nwhy = \"by name\"\n"
                                "include = [\"alpha\"]\nversions = { python = \">=3.9\" }\n"
                                "[[lore]]\nmodule = \"harbourlib\"\nwhy = \"by name\"\ninclude = [\"beta\"]\n"
                                "versions = { pyyaml = \">=1000\" }\n");
    REQUIRE(workshop.omnistasis({"build", "--compress", "fast", "--without", "own-files"}).exit_code == 0);
    CHECK(workshop.shell("./out/linux-x86_64/n").out == "first None\n");
    auto checked = workshop.omnistasis({"lore", "ours.toml"});
    CHECK(checked.exit_code == 0);
    CHECK(checked.out.find("ours.toml is right: lore for one module") != std::string::npos);
    for (auto [text, why] :
         {std::pair("format = 1\n[[lore]]\nmodule = \"x\"\n", "`why` is missing"),
          {"format = 1\n[[lore]]\nmodul = \"x\"\n", "ours.toml:3:1"},
          {"format = 1\n[[lore]]\nmodule = \"x\"\nwhy = \"y\"\nversions = { a = \"1\" }\n", ">=1.20,<2"},
          {"format = 1\nlore = 3\n", "a list of [[lore]] tables is expected"}}) {
        workshop.write("ours.toml", text);
        auto wrong = workshop.omnistasis({"lore", "ours.toml"});
        INFO(wrong.err);
        CHECK(wrong.exit_code == 3);
        CHECK(wrong.err.find(why) != std::string::npos);
        CHECK(workshop.omnistasis({"build"}).exit_code == 3);
    }
    CHECK(workshop.omnistasis({"lore", "gone.toml"}).exit_code != 0);
    CHECK(workshop.omnistasis({"lore"}).out.find("_tkinter\n") != std::string::npos);
}

TEST_CASE("a module that is there twice, and metadata that is not there, are told") {
    Workshop workshop("twice");
    workshop.write("tide/__init__.py", "print('package')\n");
    workshop.write("tide.py", "print('file')\n");
    workshop.write("yaml.py", "print('own yaml')\n");
    workshop.write("m.py",
                   "import tide, yaml\nimport importlib.metadata as metadata\n"
                   "try:\n    metadata.version('harbour-tools')\nexcept metadata.PackageNotFoundError:\n"
                   "    print('no metadata')\n");
    auto built = workshop.omnistasis({"build", "m.py", "--compress", "fast", "-v"});
    INFO(built.err);
    CHECK(built.err.find("tide is there twice: this file is taken") != std::string::npos);
    CHECK(built.err.find("yaml is there twice: this file is taken, /usr/lib/python3/dist-packages/yaml") !=
          std::string::npos);
    CHECK(built.err.find("the metadata of harbour-tools is asked for, and is not there") !=
          std::string::npos);
    CHECK(workshop.shell("./out/linux-x86_64/m").out == "package\nown yaml\nno metadata\n");
}

TEST_CASE("links in a circle, and folders that a program puts on its path or lists") {
    Workshop workshop("paths");
    workshop.write("parts/winch.py", "FORCE = 12\n");
    workshop.write("more/rope.py", "LENGTH = 80\n");
    workshop.write("harbour/__init__.py", "");
    workshop.write(
        "harbour/plugins/__init__.py",
        "import importlib, os\nhere = os.path.dirname(__file__)\n"
        "def load():\n    names = [f[:-3] for f in sorted(os.listdir(here)) if f.endswith('.py')]\n"
        "    return [importlib.import_module('.' + n, __name__).WORD for n in names if n != '__init__']\n");
    workshop.write("harbour/plugins/wind.py", "WORD = 'windy'\n");
    workshop.write("harbour/plugins/wave.py", "WORD = 'wavy'\n");
    workshop.shell("ln -s . harbour/self && ln -s two harbour/one && ln -s one harbour/two");
    workshop.write("p.py",
                   "import os, sys\nfrom pathlib import Path\n"
                   "sys.path.insert(0, os.path.join(os.path.dirname(os.path.abspath(__file__)), 'parts'))\n"
                   "sys.path.append(str(Path(__file__).resolve().parent / 'more'))\n"
                   "import winch, rope\nfrom harbour.plugins import load\n"
                   "print(winch.FORCE, rope.LENGTH, load())\n");
    CHECK(workshop.check_alike("p.py") == "12 80 ['wavy', 'windy']\n");
    workshop.shell("mkdir bin && ln -s ../p.py bin/quay");
    auto built = workshop.omnistasis({"build", "bin/quay", "--out", "made", "--compress", "fast"});
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(workshop.shell("./made/quay").out == "12 80 ['wavy', 'windy']\n");
}

TEST_CASE("modules that are walked through, and names of neighbours in a table") {
    Workshop workshop("walk");
    workshop.write("harbourkit/__init__.py",
                   "import importlib\n_TABLE = {'tide': '.tides', 'wind': '.winds'}\n"
                   "def __getattr__(name):\n    if name in _TABLE:\n"
                   "        return importlib.import_module(_TABLE[name], __name__).WORD\n"
                   "    raise AttributeError(name)\n");
    workshop.write("harbourkit/tides.py", "WORD = 't'\n");
    workshop.write("harbourkit/winds.py", "WORD = 'w'\n");
    workshop.write("harbourkit/feeds/__init__.py", "");
    workshop.write("harbourkit/feeds/deep/__init__.py", "");
    workshop.write("harbourkit/feeds/deep/sea.py", "");
    workshop.write("other/__init__.py",
                   "import pkgutil\nNAMES = [m.name for m in pkgutil.iter_modules(__path__)]\n");
    workshop.write("other/inner.py", "");
    workshop.write(
        "w.py", "import pkgutil\nimport harbourkit, other\nfrom harbourkit import feeds as sources\n"
                "print(harbourkit.tide, harbourkit.wind, other.NAMES)\n"
                "print([m.name for m in pkgutil.walk_packages(sources.__path__, sources.__name__ + '.')])\n");
    CHECK(workshop.check_alike("w.py") ==
          "t w ['inner']\n['harbourkit.feeds.deep', 'harbourkit.feeds.deep.sea']\n");
}
