// What packages do to load their parts, as made-up packages beside the program.
#include "support/files.h"
#include "workshop.h"

#include <catch2/catch.hpp>

using omnistasis::test::Workshop;

TEST_CASE("parts that are loaded when they are used, and bundled packages under another name") {
    Workshop workshop("parts");
    workshop.write("venv-less/tidekit/__init__.py",
                   "import importlib\n"
                   "def attach(name, parts):\n"
                   "    def load(part):\n"
                   "        if part in parts: return importlib.import_module(name + '.' + part)\n"
                   "        raise AttributeError(part)\n"
                   "    return load\n"
                   "__getattr__ = attach(__name__, ['high', 'low'])\n");
    workshop.write("venv-less/tidekit/high.py", "LEVEL = 7\n");
    workshop.write("venv-less/tidekit/low.py", "exec('from tidekit.settings import *')\n");
    workshop.write("venv-less/tidekit/settings.py", "LEVEL = 2\n");
    workshop.write("venv-less/tidekit/templates/quay/start.py", "this is no module\n");
    workshop.write("venv-less/tidekit/make.py",
                   "import os\nfolder = os.path.join(os.path.dirname(__file__), 'templates')\n"
                   "def names(): return sorted(os.listdir(os.path.join(folder, 'quay')))\n");
    workshop.write(
        "main.py",
        "import os, sys\nsys.path.insert(0, os.path.join(os.path.dirname(__file__), 'venv-less'))\n"
        "import tidekit\nimport tidekit.make\n"
        "print(tidekit.high.LEVEL, tidekit.low.LEVEL, tidekit.make.names())\n");
    CHECK(workshop.check_alike("main.py") == "7 2 ['start.py']\n");
}

TEST_CASE("a package that stands for another one while it runs") {
    Workshop workshop("stand-in");
    workshop.write("real/__init__.py", "");
    workshop.write("real/deep.py", "NAME = __name__\n");
    workshop.write("mask/__init__.py", "");
    workshop.write("mask/deep.py", "NAME = 'the wrong one'\n");
    workshop.write("main.py",
                   "import sys, real, pkgutil\nsys.modules['mask'] = real\nimport mask.deep\n"
                   "print(mask.deep.NAME, [m.name for m in pkgutil.iter_modules(real.__path__)])\n");
    CHECK(workshop.check_alike("main.py", {}, {"--include", "real.*"}) == "mask.deep ['deep']\n");
}

TEST_CASE("libraries that are looked up by name come along") {
    Workshop workshop("lookup");
    workshop.write("main.py", "import ctypes, ctypes.util\n"
                              "name = ctypes.util.find_library('expat')\n"
                              "print(name, ctypes.CDLL(name).XML_ExpatVersionInfo is not None)\n");
    CHECK(workshop.check_alike("main.py") == "libexpat.so.1 True\n");
    // The name of a link is there for who asks for it; other libraries ask by the library's own.
    workshop.write("linked.py", "import ctypes\nctypes.CDLL('libzstd.so')\n");
    auto traced = workshop.omnistasis({"trace", "linked.py", "--json"});
    CHECK(traced.out.find("\"lib/libzstd.so\"") != std::string::npos);
    CHECK(traced.out.find("\"lib/libzstd.so.1\"") != std::string::npos);
}

TEST_CASE("a trace that is kept is as good as a new one") {
    Workshop workshop("kept");
    workshop.write("main.py", "import quay\n");
    workshop.write("quay.py", "try:\n    import rope\nexcept ImportError:\n    pass\n");
    auto names = [&] {
        auto run = workshop.omnistasis({"trace", "main.py", "-v", "--json", "--without", "own-files"});
        REQUIRE(run.exit_code == 0);
        return std::string(run.out.find("\"name\": \"rope\", \"kind\": \"code\"") != std::string::npos
                               ? "rope "
                               : "") +
               (run.out.find("\"name\": \"fractions\"") != std::string::npos ? "fractions" : "");
    };
    for (int i = 0; i < 3; ++i) CHECK(names().empty());
    workshop.write("rope.py", "");
    for (int i = 0; i < 3; ++i) CHECK(names() == "rope ");
    workshop.write("quay.py", "import fractions\n");
    for (int i = 0; i < 3; ++i) CHECK(names() == "fractions");
}

TEST_CASE("installed packages name their parts in ways of their own") {
    Workshop workshop("own ways");
    std::string packages = workshop.make_environment();
    auto write = [&](const std::string& name, const std::string& text) {
        workshop.write(packages + name, text);
    };
    // A helper with a name of its own imports what a table of neighbours says.
    write("quay/__init__.py",
          "from .helpers import lazy_import\n"
          "__getattr__ = lazy_import(globals(), {'Rope': '.ropes', 'high': '.levels.high'})\n");
    write("quay/helpers.py", "def lazy_import(space, table):\n"
                             "    def get(name):\n"
                             "        if name not in table: raise AttributeError(name)\n"
                             "        from importlib import import_module\n"
                             "        path, _, last = table[name].rpartition('.')\n"
                             "        if path: return getattr(import_module(path, 'quay'), last)\n"
                             "        return getattr(import_module(table[name], 'quay'), name)\n"
                             "    return get\n");
    write("quay/ropes.py", "Rope = 'rope'\n");
    write("quay/levels.py", "high = 7\n");
    // Entry points of a group that another package names, and a version by another name.
    write("hooks/__init__.py",
          "from importlib.metadata import entry_points, version as _its_version\n"
          "def load(group): return sorted(e.load().WORD for e in entry_points(group=group))\n"
          "VERSION = _its_version('Hooks')\n");
    write("hooks-1.5.dist-info/METADATA", "Metadata-Version: 2.1\nName: Hooks\nVersion: 1.5\n");
    write("crane.py", "WORD = 'crane'\n");
    write("crane-1.dist-info/METADATA", "Metadata-Version: 2.1\nName: crane\nVersion: 1\n");
    write("crane-1.dist-info/entry_points.txt", "[lift.kinds]\ncrane = crane\n");
    write("lift/__init__.py", "import hooks\nKINDS = hooks.load('lift.kinds')\n");
    // Resources of packages that a table names; what stands in for an attribute that is not there.
    write("lift/text/__init__.py", "");
    write("lift/text/sign.txt", "mind the hook");
    write("lift/signs.py", "from importlib.resources import read_binary\n"
                           "try:\n    from socket import _nowhere_to_be_found\n"
                           "except ImportError:\n    from .spare import SPARE\n"
                           "SIGNS = [read_binary(p, r).decode() for p, r in [('lift.text', 'sign.txt')]]\n");
    write("lift/spare.py", "SPARE = 'spare'\n");
    workshop.write(
        "main.py",
        "import quay, hooks, lift, lift.signs\n"
        "print(quay.Rope, quay.high, hooks.VERSION, lift.KINDS, lift.signs.SIGNS, lift.signs.SPARE)\n");
    workshop.write("source.py",
                   "import subprocess, sys\n"); // the source runs with the environment's own interpreter
    auto built = workshop.omnistasis({"build", "main.py", "--runtime", ".venv", "--compress", "fast", "-q"});
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    auto proved = workshop.omnistasis({"prove", "out/linux-x86_64/main", "--against-source"});
    INFO(proved.out << proved.err);
    CHECK(proved.exit_code == 0);
    CHECK(workshop.shell("out/linux-x86_64/main").out == "rope 7 1.5 ['crane'] ['mind the hook'] spare\n");
}

TEST_CASE("a package's parts that it imports once they are taken from it") {
    Workshop workshop("taken");
    std::string packages = workshop.make_environment();
    auto write = [&](const std::string& name, const std::string& text) {
        workshop.write(packages + name, text);
    };
    write("quay/__init__.py", "__all__ = ['rope', 'crane']\n"
                              "def __getattr__(name):\n"
                              "    if name == 'rope':\n        import quay.rope\n        return quay.rope\n"
                              "    if name in ('crane', 'winch'):\n        import quay.crane\n"
                              "        return quay.crane\n"
                              "    raise AttributeError(name)\n");
    write("quay/rope.py", "LENGTH = 7\n");
    write("quay/crane.py", "import weights\nLOAD = weights.LOAD\n");
    write("weights.py", "LOAD = 12\n");
    write("tides/__init__.py", "import importlib\n"
                               "def __getattr__(name):\n"
                               "    if name not in ('high', 'low'): raise AttributeError(name)\n"
                               "    return importlib.import_module(f'tides.{name}')\n");
    write("tides/high.py", "LEVEL = 3\n");
    write("tides/low.py", "LEVEL = 1\n");
    auto modules = [&](const std::string& source) {
        workshop.write("main.py", source);
        auto traced = workshop.omnistasis({"trace", "main.py", "--runtime", ".venv", "--json"});
        std::string found;
        for (const char* name : {"quay.rope", "quay.crane", "weights", "tides.high", "tides.low"})
            if (traced.out.find("\"name\": \"" + std::string(name) + "\"") != std::string::npos)
                found += std::string(name) + " ";
        return found;
    };
    CHECK(modules("import quay, tides\nprint(quay.rope.LENGTH, tides.high.LEVEL)\n") ==
          "quay.rope tides.high ");
    CHECK(modules("import quay\nprint(getattr(quay, 'winch').LOAD)\n") == "quay.crane weights ");
    CHECK(modules("from quay import *\nprint(rope, crane)\n") == "quay.rope quay.crane weights ");
    // A name that is taken from now on is seen where the trace was kept.
    CHECK(modules("import quay\nprint(1)\n").empty());
    CHECK(modules("import quay\nprint(quay.winch)\n") == "quay.crane weights ");
}

TEST_CASE("a project's lore: data beside a module, functions with arguments, folders of named packages") {
    Workshop workshop("project lore");
    workshop.write("dredge/__init__.py",
                   "FOUND = []\ndef look_in(*places): FOUND.extend(places)\n"
                   "def parts(names): return [__import__(n + '.plan') for n in names]\n");
    workshop.write("dredge/depths/north.pyi", "7");
    workshop.write("silt/__init__.py", "");
    workshop.write("silt/plan.py", "");
    workshop.write("silt/layers/first.txt", "mud");
    workshop.write("lore.toml", "format = 1\n[[lore]]\nmodule = \"dredge\"\nwhy = \"for a test\"\n"
                                "data = [{ from = [\"{package}/depths\"] }]\n"
                                "calls = [\"look_in({tree}/share, deep)\"]\n"
                                "parts = [\".plan\"]\npart_data = [\"layers\"]\n");
    workshop.write("omnistasis.toml", "[app]\nentry = \"main.py\"\n[trace]\nlore = [\"lore.toml\"]\n");
    workshop.write("main.py", "import dredge, os\nmods = dredge.parts(['silt'])\n"
                              "here = os.path.dirname(dredge.__file__)\n"
                              "print(os.listdir(here + '/depths'), open(os.path.dirname(mods[0].__file__) + "
                              "'/layers/first.txt').read(), "
                              "[os.path.basename(p) for p in dredge.FOUND])\n");
    auto built = workshop.omnistasis({"build", ".", "--compress", "fast", "-q"});
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    auto run = workshop.shell("mkdir away && mv dredge silt away && out/linux-x86_64/main");
    CHECK(run.out == "['north.pyi'] mud ['share', 'deep']\n");
    workshop.write(
        "bad.toml",
        "format = 1\n[[lore]]\nmodule = \"x\"\nwhy = \"y\"\ndata = [{ from = [\"/usr/share/x\"] }]\n");
    CHECK(workshop.omnistasis({"lore", "bad.toml"}).err.find("`to` is missing") != std::string::npos);
}

TEST_CASE("entry points of a package that stays out are not told of") {
    Workshop workshop("entry points");
    std::string packages = workshop.make_environment();
    // As heavy as it would be: a package of this name comes only with an application that wants it itself.
    workshop.write(packages + "IPython/__init__.py", "");
    workshop.write(packages + "ipython-8.dist-info/METADATA",
                   "Metadata-Version: 2.1\nName: ipython\nVersion: 8\n");
    workshop.write(packages + "ipython-8.dist-info/entry_points.txt", "[lift.kinds]\nshell = IPython\n");
    workshop.write(packages + "crane.py", "WORD = 'crane'\n");
    workshop.write(packages + "crane-1.dist-info/METADATA",
                   "Metadata-Version: 2.1\nName: crane\nVersion: 1\n");
    workshop.write(packages + "crane-1.dist-info/entry_points.txt", "[lift.kinds]\ncrane = crane\n");
    workshop.write(packages + "lift.py",
                   "from importlib.metadata import entry_points\n"
                   "KINDS = sorted(e.load().__name__ for e in entry_points(group='lift.kinds'))\n");
    workshop.write("main.py", "import lift\nprint(lift.KINDS)\n");
    auto built = workshop.omnistasis({"build", "main.py", "--runtime", ".venv", "--compress", "fast", "-q"});
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(workshop.shell("out/linux-x86_64/main").out == "['crane']\n");
}
