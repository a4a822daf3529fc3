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
}

TEST_CASE("a trace that is kept is as good as a new one") {
    Workshop workshop("kept");
    workshop.write("main.py", "import quay\n");
    workshop.write("quay.py", "try:\n    import rope\nexcept ImportError:\n    pass\n");
    auto names = [&] {
        auto run = workshop.omnistasis({"trace", "main.py", "-v", "--json"});
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
