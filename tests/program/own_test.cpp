// What goes along although no import names it: the application's own, small packages, what packages load when
// they are imported.
#include "support/files.h"
#include "workshop.h"

#include <catch2/catch.hpp>

using omnistasis::test::Workshop;

namespace {

/// Installs a made-up distribution into the environment: its files, and the metadata that pip would write.
void install(Workshop& workshop, const std::string& packages, const std::string& name,
             const std::vector<std::pair<std::string, std::string>>& files, const std::string& metadata = "",
             const std::string& entry_points = "") {
    std::string record, info = name + "-1.0.dist-info/";
    for (const auto& [path, content] : files) {
        workshop.write(packages + path, content);
        record += path + ",," + std::to_string(content.size()) + "\n";
    }
    workshop.write(packages + info + "METADATA",
                   "Metadata-Version: 2.1\nName: " + name + "\nVersion: 1.0\n" + metadata);
    if (!entry_points.empty()) workshop.write(packages + info + "entry_points.txt", entry_points);
    workshop.write(packages + info + "RECORD", record + info + "METADATA,,\n" + info + "RECORD,,\n");
}

std::string loose_ends(const omnistasis::ProgramOutput& run) { return run.err; }

} // namespace

TEST_CASE(
    "own plug-ins are found by listing their folder, run as files, started as programs and read as texts") {
    Workshop workshop("own");
    workshop.write("tasks/fog.py", "import colorsys\nNAME = 'fog', colorsys.__name__\n");
    workshop.write("tasks/not-a-name.py", "NAME = 'odd'\n");
    workshop.write("crew/__init__.py", "");
    workshop.write("crew/cook.py", "DUTY = 'soup'\n");
    workshop.write("crew/mate.py", "DUTY = 'watch'\n");
    workshop.write("child.py", "import sys, wave\nprint('child', sys.argv[1:], wave.__name__, __name__)\n");
    workshop.write("recipe.py", "import sched\nRESULT = sched.__name__\n");
    workshop.write("tides/spring.csv", "3.2\n");
    workshop.write("main.py", "import importlib, importlib.util, os, pkgutil, runpy, subprocess, sys\n"
                              "here = os.path.dirname(os.path.abspath(__file__))\n"
                              "for name in sorted(os.listdir(os.path.join(here, 'tasks'))):\n"
                              "    if name == '__pycache__': continue\n"
                              "    spec = importlib.util.spec_from_file_location(name[:-3].replace('-', "
                              "'_'), os.path.join(here, 'tasks', name))\n"
                              "    module = importlib.util.module_from_spec(spec)\n"
                              "    spec.loader.exec_module(module)\n"
                              "    print(module.NAME)\n"
                              "import crew\n"
                              "for info in pkgutil.iter_modules(crew.__path__):\n"
                              "    print(importlib.import_module('crew.' + info.name).DUTY)\n"
                              "print(subprocess.run([sys.executable, os.path.join(here, 'child.py'), 'x'], "
                              "capture_output=True, text=True).stdout)\n"
                              "print(runpy.run_path(os.path.join(here, 'recipe.py'))['RESULT'])\n"
                              "kind = 'spring'\n"
                              "print(open(os.path.join(here, 'tides', kind + '.csv')).read())\n");
    std::string out = workshop.check_alike("main.py");
    CHECK(out.find("child ['x'] wave __main__") != std::string::npos);
    CHECK(out.find("odd") != std::string::npos);
}

TEST_CASE("own sources that are executed as texts are there as texts") {
    Workshop workshop("own-texts");
    workshop.write("recipe.txt.py", "value = 6 * 7\n");
    workshop.write(
        "main.py",
        "import os\npath = os.path.join(os.path.dirname(os.path.abspath(__file__)), 'recipe.txt.py')\n"
        "exec(compile(open(path).read(), path, 'exec'))\nprint(value)\n");
    CHECK(workshop.check_alike("main.py") == "42\n");
}

TEST_CASE("what lies above the entry belongs to the project that is marked there") {
    Workshop workshop("above");
    workshop.write("pyproject.toml", "[project]\nname = 'harbour'\nversion = '1'\n");
    workshop.write("data/berths.csv", "A1\n");
    workshop.write("tools/app.py",
                   "from pathlib import Path\n"
                   "print((Path(__file__).resolve().parent.parent / 'data' / 'berths.csv').read_text())\n");
    CHECK(workshop.check_alike("tools/app.py") == "A1\n\n");
}

TEST_CASE("own files beyond the bound are a loose end, and --without leaves them where they are") {
    Workshop workshop("bound");
    workshop.write("app.py", "print('hello')\n");
    workshop.write("notes.csv", "1\n");
    workshop.write("chart.bin", "");
    std::filesystem::resize_file(workshop.path("chart.bin"), 70u << 20);
    auto run = workshop.omnistasis({"trace", "app.py"});
    CHECK(run.exit_code == 0);
    CHECK(loose_ends(run).find("chart.bin") != std::string::npos);
    CHECK(run.out.find("notes.csv") != std::string::npos);
    auto strict = workshop.omnistasis({"build", "app.py", "--strict"});
    CHECK(strict.exit_code == 1);
    auto without = workshop.omnistasis({"trace", "app.py", "--without", "own-files"});
    CHECK(without.out.find("notes.csv") == std::string::npos);
    CHECK(without.err.find("chart.bin") == std::string::npos);
    auto wrong = workshop.omnistasis({"trace", "app.py", "--without", "own-fils"});
    CHECK(wrong.exit_code == 2);
    CHECK(wrong.err.find("own-files") != std::string::npos);
}

TEST_CASE("a small package goes along whole, with data, computed imports and metadata") {
    Workshop workshop("whole", ".venv/bin/python");
    std::string packages = workshop.make_environment();
    install(workshop, packages, "tidekit",
            {{"tidekit/__init__.py", "import importlib\n"
                                     "def load(name): return importlib.import_module(__name__ + name)\n"},
             {"tidekit/high.py",
              "import tidekit_heavy\ndef test():\n    from tidekit.tests import test_low\nLEVEL = 7\n"},
             {"tidekit/low.py", "LEVEL = 2\n"},
             {"tidekit/tables/neap", "1.1\n"},
             {"tidekit/tests/test_low.py", "import nothing_there\n"}},
            "Requires-Dist: ropework\nRequires-Dist: nothing-installed; extra == 'all'\n");
    install(workshop, packages, "ropework", {{"ropework.py", ""}});
    install(workshop, packages, "tidekit_heavy", {{"tidekit_heavy/__init__.py", "SIZE = 'large'\n"}});
    workshop.write(
        "main.py",
        "import importlib.metadata, os, tidekit\n"
        "print(tidekit.load('.' + 'low').LEVEL)\n"
        "print(open(os.path.join(os.path.dirname(tidekit.__file__), 'tables', 'neap')).read())\n"
        "print(importlib.metadata.version('tidekit'), importlib.metadata.version('rope' + 'work'))\n"
        "print(sorted(n for n in os.listdir(os.path.dirname(tidekit.__file__)) if n.endswith('.py')))\n");
    auto from_source = workshop.shell(".venv/bin/python main.py");
    REQUIRE(from_source.exit_code == 0);
    CHECK(workshop.check_alike("main.py") == from_source.out);
    // An integration that nothing uses does not bring its package; tests stay out.
    auto traced = workshop.omnistasis({"trace", "main.py", "-v"});
    CHECK(traced.out.find("tidekit_heavy/__init__") == std::string::npos);
    CHECK(traced.out.find("test_low") == std::string::npos);
    auto without = workshop.omnistasis({"trace", "main.py", "-v", "--without", "whole-packages"});
    CHECK(without.out.find("tables/neap") == std::string::npos);
}

TEST_CASE("what is taken from a package that goes along whole brings its native part") {
    Workshop workshop("taken whole", ".venv/bin/python");
    std::string packages = workshop.make_environment();
    auto place = workshop.shell(".venv/bin/python -c 'import _json; print(_json.__file__, end=\"\")'");
    auto extension = omnistasis::read_text(place.out);
    REQUIRE(extension);
    // So large that it stays out where nothing needs it.
    extension->resize(extension->size() + (16u << 20));
    std::string name = "quay/" + omnistasis::fs::path(place.out).filename().string();
    install(
        workshop, packages, "quay",
        {{"quay/__init__.py", "def __getattr__(name):\n"
                              "    if name == 'part':\n        import quay.part\n        return quay.part\n"
                              "    raise AttributeError(name)\n"},
         {"quay/part.py", "from . import _json as native\nNAME = native.__name__\n"},
         {name, *extension}});
    workshop.write("main.py", "import quay\nprint(quay.part.NAME)\n");
    CHECK(workshop.check_alike("main.py") == "quay._json\n");
    workshop.write("main.py", "import quay\nprint('quay')\n");
    auto traced = workshop.omnistasis({"trace", "main.py", "--json"});
    CHECK(traced.out.find(name) == std::string::npos);
}

TEST_CASE("an entry point that is a package brings all files of its folder, hidden ones too") {
    Workshop workshop("themes", ".venv/bin/python");
    std::string packages = workshop.make_environment();
    // Too large to go along whole.
    install(workshop, packages, "harbour_themes",
            {{"harbour_themes/__init__.py", ""},
             {"harbour_themes/charts.bin", std::string(40u << 20, 'c')},
             {"harbour_themes/dusk/__init__.py", ""},
             {"harbour_themes/dusk/theme.yml", "name: dusk\n"},
             {"harbour_themes/dusk/.signs/buoy.svg", "<svg/>"}},
            "", "[harbour.themes]\ndusk = harbour_themes.dusk\n");
    workshop.write("main.py",
                   "import os\nfrom importlib.metadata import entry_points\n"
                   "for one in entry_points(group='harbour.themes'):\n"
                   "    folder = os.path.dirname(one.load().__file__)\n"
                   "    print(open(folder + '/theme.yml').read(), os.listdir(folder + '/.signs'))\n");
    CHECK(workshop.check_alike("main.py") == "name: dusk\n ['buoy.svg']\n");
}

TEST_CASE("packages are imported on trial, and what they load is found") {
    Workshop workshop("trial", ".venv/bin/python");
    std::string packages = workshop.make_environment();
    install(workshop, packages, "tidekit",
            {{"tidekit/__init__.py", "import importlib\n"
                                     "for name in [chr(119) + 'ave', 'tide' + 'extra']:\n"
                                     "    globals()[name] = importlib.import_module(name)\n"}});
    install(workshop, packages, "tideextra", {{"tideextra.py", "NAME = __name__\n"}});
    workshop.write("main.py", "import tidekit\nprint(tidekit.wave.__name__, tidekit.tideextra.NAME)\n");
    CHECK(workshop.check_alike("main.py") == "wave tideextra\n");
    auto why = workshop.omnistasis({"why", "tideextra", "main.py"});
    CHECK(why.out.find("trial import") != std::string::npos);
    auto without = workshop.omnistasis({"trace", "main.py", "-v", "--without", "trial-imports"});
    CHECK(without.out.find("tideextra") == std::string::npos);
}

TEST_CASE("a package that ends the program, writes or asks the network when it is imported does no harm") {
    Workshop workshop("harm", ".venv/bin/python");
    std::string packages = workshop.make_environment();
    install(workshop, packages, "tidekit",
            {{"tidekit/__init__.py", "import importlib\nimportlib.import_module(chr(119) + 'ave')\n"},
             {"tidekit/a_crash.py",
              "import os, importlib\nimportlib.import_module(chr(119) + 'ave')\nos._exit(7)\n"},
             {"tidekit/b_write.py",
              "import os\nopen(os.path.join(os.path.dirname(__file__), 'written'), 'w').close()\n"},
             {"tidekit/c_print.py", "print('noise')\nraise SystemExit(3)\n"}});
    workshop.write("main.py", "def never():\n    import tidekit.a_crash, tidekit.b_write, tidekit.c_print\n"
                              "import tidekit\nprint('done')\n");
    auto built = workshop.omnistasis({"build", "main.py"});
    CHECK(built.exit_code == 0);
    CHECK(built.out.find("noise") == std::string::npos);
    CHECK_FALSE(std::filesystem::exists(workshop.path(packages + "tidekit/written")));
}

TEST_CASE("a command of an environment is the distribution that it starts") {
    Workshop workshop("command", ".venv/bin/python");
    std::string packages = workshop.make_environment();
    std::string python = workshop.path(".venv/bin/python").string();
    install(workshop, packages, "tideboard",
            {{"tideboard/__init__.py", ""},
             {"tideboard/main.py",
              "import importlib, os, sys\n"
              "def main():\n"
              "    feed = importlib.import_module('tideboard.feeds.' + sys.argv[1])\n"
              "    print(feed.NAME, open(os.path.join(os.path.dirname(__file__), 'chart.txt')).read())\n"
              "    try:\n        import tideextra\n        print(tideextra.NAME)\n"
              "    except ImportError: print('none')\n"},
             {"tideboard/feeds/__init__.py", ""},
             {"tideboard/feeds/wind.py", "NAME = 'wind'\n"},
             {"tideboard/chart.txt", "map"},
             {"../../../share/tideboard/more.txt", "more"}},
            "Requires-Dist: tideextra; extra == 'all'\n",
            "[console_scripts]\ntideboard = tideboard.main:main\n");
    install(workshop, packages, "tideextra", {{"tideextra.py", "NAME = 'extra'\n"}});
    // A file of the package's name beside the command must not be taken for the package.
    workshop.write(".venv/bin/tideboard",
                   "#!" + python + "\nimport sys\nfrom tideboard.main import main\nsys.exit(main())\n");
    REQUIRE(workshop.shell("chmod +x .venv/bin/tideboard").exit_code == 0);
    auto built = workshop.omnistasis({"build", ".venv/bin/tideboard"});
    REQUIRE(built.exit_code == 0);
    auto run = workshop.shell("mv .venv away && out/linux-x86_64/tideboard wind; mv away .venv");
    CHECK(run.out == "wind map\nextra\n");
    CHECK_FALSE(std::filesystem::exists(workshop.path(".venv/bin/out")));
    auto traced = workshop.omnistasis({"trace", ".venv/bin/tideboard", "-v"});
    CHECK(traced.out.find("share/tideboard/more.txt") != std::string::npos);
}

TEST_CASE("a namespace package has a path that resources are found by") {
    Workshop workshop("namespace", ".venv/bin/python");
    std::string packages = workshop.make_environment();
    install(workshop, packages, "tidemaps",
            {{"charts/bay/coast.txt", "rocks"}, {"charts/bay/reader.py", ""}});
    workshop.write("main.py", "import charts.bay.reader, importlib.resources\n"
                              "print(importlib.resources.files('charts.bay').joinpath('coast.txt').read_text("
                              "), type(charts.bay.__path__).__name__)\n");
    CHECK(workshop.check_alike("main.py") == "rocks _NamespacePath\n");
}

TEST_CASE("two different files on one place are an error") {
    Workshop workshop("places");
    workshop.write("app.py", "print(1)\n");
    workshop.write("one.txt", "1");
    workshop.write("two.txt", "2");
    auto built = workshop.omnistasis(
        {"build", "app.py", "--asset", "one.txt=same.txt", "--asset", "two.txt=same.txt"});
    CHECK(built.exit_code == 3);
    CHECK(built.err.find("app/same.txt") != std::string::npos);
    CHECK(built.err.find("two.txt") != std::string::npos);
}

TEST_CASE("what the project declares and the environment lacks is a loose end") {
    Workshop workshop("declared");
    workshop.write("pyproject.toml", "[project]\nname = 'harbour'\nversion = '1'\ndependencies = "
                                     "['no-such-rope>=2', \"other; sys_platform == 'win32'\"]\n");
    workshop.write("app.py", "print(1)\n");
    auto traced = workshop.omnistasis({"trace", "app.py"});
    CHECK(traced.err.find("no-such-rope is declared and not installed") != std::string::npos);
    CHECK(traced.err.find("other is declared") == std::string::npos);
}

TEST_CASE("a package that puts its folder in front and imports its own name again gets what lies there") {
    Workshop workshop("front", ".venv/bin/python");
    std::string packages = workshop.make_environment();
    install(workshop, packages, "tidekit",
            {{"tidekit/__init__.py", "import importlib, os, sys\n"
                                     "sys.path.insert(1, os.path.dirname(__file__))\n"
                                     "package = sys.modules.pop('tidekit')\n"
                                     "inner = importlib.import_module('tidekit')\n"
                                     "sys.path.pop(1)\n"
                                     "sys.modules['tidekit'] = package\n"
                                     "LEVEL = inner.LEVEL\n"},
             {"tidekit/tidekit.py", "LEVEL = 7\n"}});
    workshop.write("main.py", "import tidekit\nprint(tidekit.LEVEL)\n");
    CHECK(workshop.check_alike("main.py") == "7\n");
}

TEST_CASE("a name that is found nowhere but inside the asking package is that one") {
    Workshop workshop("bundled", ".venv/bin/python");
    std::string packages = workshop.make_environment();
    install(workshop, packages, "tidekit",
            {{"tidekit/__init__.py",
              "import sys\nimport tidekit._vendor.ropes\nsys.modules['ropes'] = tidekit._vendor.ropes\n"
              "def length():\n    import ropes.nylon\n    return ropes.nylon.LENGTH\n"},
             {"tidekit/_vendor/__init__.py", ""},
             {"tidekit/_vendor/ropes/__init__.py", ""},
             {"tidekit/_vendor/ropes/nylon.py", "LENGTH = 80\n"}});
    workshop.write("main.py", "import tidekit\nprint(tidekit.length())\n");
    CHECK(workshop.check_alike("main.py", {}, {"--without", "whole-packages"}) == "80\n");
}

TEST_CASE("modules that are there as bytecode alone go along, with what they ask for") {
    Workshop workshop("bytecode");
    std::string packages = workshop.make_environment();
    workshop.write("main.py",
                   "import quay, tides\nprint(quay.names(), tides.go(), tides.__file__.rpartition('/')[2])\n"
                   "quay.fail()\n");
    workshop.write("quay/__init__.py",
                   "from .inner import names\ndef fail():\n    raise ValueError('low')\n");
    workshop.write("quay/inner.py", "def names():\n    import colorsys\n    from . import chart\n"
                                    "    return colorsys.__name__, chart.NAME\n");
    workshop.write("quay/chart.py", "class Chart:\n    import wave\nNAME = Chart.wave.__name__\n");
    workshop.write(packages + "tides/__init__.py", "import importlib\nfrom tides.feeds import *\ndef go():\n"
                                                   "    return importlib.import_module('chunk').__name__\n");
    workshop.write(packages + "tides/feeds.py",
                   "READY = True\ntry:\n    import harbour_absent\nexcept ImportError:\n    pass\n");
    workshop.write(packages + "tides-2.dist-info/METADATA",
                   "Metadata-Version: 2.1\nName: tides\nVersion: 2\n");
    workshop.write(packages + "tides-2.dist-info/RECORD", "tides/__init__.pyc,,\ntides/feeds.pyc,,\n");
    workshop.shell("for f in quay '" + packages +
                   "tides'; do /usr/bin/python3 -W ignore -m compileall -q -b \"$f\"; "
                   "rm -r \"$f\"/*.py; done");
    auto built = workshop.omnistasis({"build", "main.py", "--compress", "fast", "--runtime", ".venv"});
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    auto run = workshop.shell("mkdir away; mv quay .venv away; ./out/linux-x86_64/main");
    INFO(run.err);
    CHECK(run.out == "('colorsys', 'wave') chunk __init__.pyc\n");
    CHECK(run.exit_code == 1);
    CHECK(run.err.find("/app/quay/__init__.pyc\", line 3, in fail\n") != std::string::npos);
    // That of another version is told, with its file.
    workshop.shell(
        "mv away/quay away/.venv .; printf 'abc\\n' | dd of=quay/inner.pyc conv=notrunc 2>/dev/null");
    auto other = workshop.omnistasis({"build", "main.py", "--runtime", ".venv"});
    CHECK(other.exit_code == 3);
    CHECK(other.err.find("it is bytecode of another version than 3.11") != std::string::npos);
    CHECK(other.err.find("quay/inner.pyc") != std::string::npos);
}

TEST_CASE("absolute paths of the project in its own code lead into the tree") {
    Workshop workshop("absolute");
    workshop.write("flags/a.txt", "fog signal\n");
    std::string folder = workshop.folder().string();
    workshop.write("main.py", "import os\nprint(open('" + folder +
                                  "/flags/a.txt').read())\n"
                                  "print(sorted(os.listdir('" +
                                  folder + "/flags')))\n");
    CHECK(workshop.check_alike("main.py") == "fog signal\n\n['a.txt']\n");
}

TEST_CASE("programs that own code starts are told") {
    Workshop workshop("told");
    workshop.write("main.py", "import subprocess\nsubprocess.run(['bwrap', '--version'])\n");
    auto traced = workshop.omnistasis({"trace", "main.py"});
    CHECK(traced.err.find("it starts `bwrap`, a program that is not carried") != std::string::npos);
    CHECK(traced.err.find("--program bwrap") != std::string::npos);
    auto told = workshop.omnistasis({"trace", "main.py", "--program", "bwrap"});
    CHECK(told.err.find("a program that is not carried") == std::string::npos);
}

namespace {

/// A program that the application starts, built beside its entry: what that prints in an environment of
/// `variables` only.
std::string print_of_starting(Workshop& workshop, const std::string& entry, const std::string& variables) {
    auto built = workshop.omnistasis(
        {"build", entry, "-q", "--program", "./tidetool", "--out", "out", "--without", "own-files"});
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(built.err.find("tidetool") == std::string::npos);
    return workshop.shell("env -i HOME=\"$PWD\" " + variables + " out/main").out;
}

void make_tidetool(Workshop& workshop) {
    workshop.write("tide.c", "int puts(const char*); int main(void) { puts(\"high water\"); return 0; }\n");
    REQUIRE(workshop.shell("cc -o tidetool tide.c").exit_code == 0);
}

} // namespace

TEST_CASE("a program that the project names goes along, and is found behind the user's own") {
    Workshop workshop("programs");
    make_tidetool(workshop);
    workshop.write("main.py",
                   "import shutil, subprocess\nprint(shutil.which('tidetool') is not None, flush=True)\n"
                   "subprocess.run(['tidetool'])\n");
    CHECK(print_of_starting(workshop, "main.py", "PATH=/usr/bin:/bin") == "True\nhigh water\n");
    CHECK(print_of_starting(workshop, "main.py", "") == "True\nhigh water\n");
    REQUIRE(workshop
                .shell("mkdir users && printf '#!/bin/sh\\necho own\\n' > users/tidetool && "
                       "chmod +x users/tidetool")
                .exit_code == 0);
    CHECK(print_of_starting(workshop, "main.py", "PATH=\"$PWD/users:/bin\"") == "True\nown\n");

    auto absent = workshop.omnistasis({"build", "main.py", "--program", "no-such-tool"});
    CHECK(absent.exit_code == 3);
    CHECK(absent.err.find("the program `no-such-tool` is not there") != std::string::npos);
    workshop.write("script", "#!/bin/sh\necho\n");
    auto script = workshop.omnistasis({"build", "main.py", "--program", "./script"});
    CHECK(script.exit_code == 3);
    CHECK(script.err.find("is no native program of linux-x86_64") != std::string::npos);
}

TEST_CASE("programs that the project names go along with Node.js, too") {
    Workshop workshop("node programs", "/usr/bin/node");
    make_tidetool(workshop);
    workshop.write("main.js", "const { spawnSync } = require('child_process');\n"
                              "process.stdout.write(spawnSync('tidetool').stdout);\n");
    CHECK(print_of_starting(workshop, "main.js", "PATH=/usr/bin:/bin") == "high water\n");
}

TEST_CASE("own texts and settings name modules, and what only looks like it does not") {
    Workshop workshop("names in texts", ".venv/bin/python");
    std::string packages = workshop.make_environment();
    workshop.write(packages + "buoy.py", "class Light:\n    pass\n");
    workshop.write(packages + "pier.py", "class Light:\n    pass\n");
    workshop.write("lamps.py", "class Big:\n    name = 'big'\n");
    workshop.write("settings.yaml", "lamp: lamps.Big\nmail: pilot@lamps.Big\n");
    workshop.write("main.py", "import importlib, os\n"
                              "TOOLS = ['buoy.exe', 'pier.Light']\n"
                              "text = open(os.path.join(os.path.dirname(__file__), 'settings.yaml')).read()\n"
                              "module, _, name = text.split()[1].rpartition('.')\n"
                              "print(getattr(importlib.import_module(module), name).name)\n");
    CHECK(workshop.check_alike("main.py", {}, {"--without", "own-files"}) == "big\n");
    auto named = workshop.omnistasis({"why", "pier", "main.py"});
    CHECK(named.out.find("names pier") != std::string::npos);
    CHECK(workshop.omnistasis({"why", "buoy", "main.py"}).exit_code != 0);
}

TEST_CASE("a library that is linked by a name that is not its own has both names") {
    Workshop workshop("two names");
    workshop.write("code.c", "int f(void) { return 7; }\n");
    auto made = workshop.shell(
        "mkdir -p app libs stub && cd libs && cc -shared -fPIC -Wl,-soname,libbuoy.so.1 -o libbuoy.so.1.2 "
        "../code.c && ln -s libbuoy.so.1.2 libbuoy.so.1 && ln -s libbuoy.so.1.2 libbuoy.so.1.0 && "
        "cc -shared -fPIC -Wl,-soname,libbuoy.so.1.0 -o ../stub/libbuoy.so.1.0 ../code.c && "
        "echo 'int f(void); int g(void) { return f(); }' > ../link.c && for one in stub/libbuoy.so.1.0 "
        "libs/libbuoy.so.1; do cc -shared -fPIC -o ../app/$(dirname $one).so ../link.c ../$one "
        "-Wl,-rpath,\"$PWD\"; done");
    REQUIRE(made.exit_code == 0);
    workshop.write(
        "app/main.py",
        "import ctypes, os\nhere = os.path.dirname(os.path.abspath(__file__))\n"
        "for name in 'libs.so', 'stub.so':\n    print(ctypes.CDLL(os.path.join(here, name)).g())\n");
    CHECK(workshop.check_alike("app/main.py") == "7\n7\n");
}

TEST_CASE("an asset may be given an absolute place, which own code then finds in the tree") {
    Workshop workshop("placed");
    workshop.write("flags.txt", "fog\n");
    workshop.write("app/main.py", "import os\nprint(open('/usr/share/harbour/flags.txt').read().strip())\n"
                                  "print(os.listdir('/opt/harbour'))\n");
    auto built = workshop.omnistasis({"build", "app/main.py", "--out", "out", "--asset",
                                      "../flags.txt=/usr/share/harbour/flags.txt", "--asset",
                                      "../flags.txt=/opt/harbour/flags.txt"});
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(workshop.shell("./out/main").out == "fog\n['flags.txt']\n");
}
