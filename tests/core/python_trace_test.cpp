// What a trace of Python applications finds, on projects in a folder, without an interpreter.
#include "folder.h"
#include "runtimes/python/python_runtime.h"
#include "runtimes/python/typelib.h"
#include "silent_observer.h"
#include "trace/tracer.h"

#include <algorithm>
#include <set>

using namespace omnistasis;
using test::Folder;

namespace {

using Names = std::set<std::string>;

/// A project with a small standard library and a folder of packages, and facts that no interpreter was asked
/// for.
struct PythonProject : Folder {
    Project project;
    python::Lore lore;

    PythonProject() {
        for (const char* name :
             {"encodings/__init__", "encodings/aliases", "encodings/ascii", "encodings/latin_1",
              "encodings/utf_8", "encodings/cp1252", "codecs", "io", "abc", "os", "_sitebuiltins",
              "json/__init__", "json/decoder", "sqlite3/__init__", "importlib/__init__", "importlib/metadata",
              "unittest/__init__", "pkgutil"})
            write(std::string("std/") + name + ".py");
        fs::create_directories(path() / "site");
        fs::create_directories(path() / "app");
        project.entry = "main.py";
        project.name = "board";
        project.targets = {host_target()};
        project.trial_imports = false;
    }

    void own(const std::string& name, const std::string& text = "") { write("app/" + name, text); }
    void site(const std::string& name, const std::string& text = "") { write("site/" + name, text); }

    /// A distribution with its metadata and the list of its files.
    void distribution(const std::string& name, const std::vector<std::string>& files,
                      const std::string& more = "") {
        std::string folder = name + "-1.0.dist-info", record;
        for (const std::string& file : files) {
            if (!is_file(path() / "site" / file)) site(file);
            record += file + ",,\n";
        }
        site(folder + "/METADATA", "Metadata-Version: 2.1\nName: " + name + "\nVersion: 1.0\n" + more);
        site(folder + "/RECORD", record + folder + "/METADATA,,\n");
    }

    python::Facts facts() const {
        python::Facts facts;
        facts.minor = 11;
        facts.micro = 2;
        facts.magic = "a70d0d0a";
        facts.program = facts.executable = "/bin/true";
        facts.prefix = facts.base_prefix = path().string();
        facts.standard_library = facts.platform_library = path() / "std";
        facts.platlibdir = "lib";
        facts.target = host_target();
        facts.extensions = path() / "std/lib-dynload";
        python::settle_places(facts);
        facts.platform = "linux";
        facts.extension_suffixes = {".cpython-311.so", ".so"};
        facts.search_path = {path() / "std", path() / "site"};
        facts.built_in = {"sys", "builtins", "time"};
        return facts;
    }

    trace::Graph traced() {
        project.folder = project.own_folder = project.root_folder = path() / "app";
        auto store = std::make_shared<Store>(fs::path());
        python::PythonRuntime runtime(project, facts(), std::nullopt, lore, path() / "helpers",
                                      path() / "lore", store);
        test::SilentObserver silent;
        native::HostLibraries host({{"*", "every system has it"}}, host_target());
        auto graph = trace::trace(runtime, {}, host, *store, 2, silent);
        if (!graph) FAIL(graph.error().what + " " + graph.error().where);
        return *graph;
    }
};

/// The names of what is not the runtime's own.
Names names(const trace::Graph& graph) {
    Names found;
    for (const trace::Unit& unit : graph.units)
        if (!unit.of_runtime && unit.kind != trace::UnitKind::program &&
            unit.kind != trace::UnitKind::built_in)
            found.insert(unit.name);
    return found;
}

bool has(const trace::Graph& graph, const std::string& name) {
    return std::ranges::find(graph.units, name, &trace::Unit::name) != graph.units.end();
}

const trace::LooseEnd& end_of(const trace::Graph& graph, const std::string& kind) {
    auto found = std::ranges::find(graph.loose_ends, kind, &trace::LooseEnd::kind);
    if (found == graph.loose_ends.end()) {
        std::string all;
        for (const trace::LooseEnd& end : graph.loose_ends) all += end.kind + ": " + end.what + "\n";
        FAIL("no " + kind + " among\n" + all);
    }
    return *found;
}

bool has_end(const trace::Graph& graph, const std::string& kind) {
    return std::ranges::find(graph.loose_ends, kind, &trace::LooseEnd::kind) != graph.loose_ends.end();
}

} // namespace

TEST_CASE("imports lead to own modules, packages and the standard library") {
    PythonProject project;
    project.own("main.py", "import json\nfrom quay import depth\nimport charts.flags\nimport time\n");
    project.own("quay.py", "depth = 7\n");
    project.site("charts/__init__.py");
    project.site("charts/flags.py", "from . import colours\n");
    project.site("charts/colours.py");
    trace::Graph graph = project.traced();
    for (const char* name : {"quay", "charts", "charts.flags", "charts.colours", "json", "time"}) {
        INFO(name);
        CHECK(has(graph, name));
    }
    CHECK_FALSE(has(graph, "sqlite3"));
    CHECK(graph.loose_ends.empty());
}

TEST_CASE("a module that is nowhere: told where it must be there, absent where it may be") {
    PythonProject project;
    project.own("main.py", "import chart\ntry:\n    import fog\nexcept ImportError:\n    fog = None\n");
    project.site("charts/__init__.py");
    trace::Graph graph = project.traced();
    const trace::LooseEnd& end = end_of(graph, "unresolved-import");
    CHECK(end.line == 1);
    CHECK(end.file == project / "app/main.py");
    CHECK((end.what + end.advice).find("charts") != std::string::npos);
    REQUIRE(graph.absent.size() == 1);
    CHECK(graph.absent[0].name == "fog");
}

TEST_CASE("own files go along whatever names them, and own modules that nothing imports") {
    PythonProject project;
    project.own("main.py");
    project.own("pages/index.html", "<p>");
    project.own("plugins/ebb.py");
    project.own("tests/test_main.py");
    project.own("requirements.txt");
    trace::Graph graph = project.traced();
    Names found = names(graph);
    CHECK(found.contains("app/pages/index.html") == has(graph, "app/pages/index.html"));
    auto goes_to = [&](const std::string& end) {
        return std::ranges::any_of(graph.units,
                                   [&](const trace::Unit& unit) { return unit.file.ends_with(end); });
    };
    CHECK(goes_to("pages/index.html"));
    CHECK(goes_to("plugins/ebb.py"));
    CHECK_FALSE(goes_to("test_main.py"));
    CHECK_FALSE(goes_to("requirements.txt"));
    project.project.own_files = false;
    graph = project.traced();
    CHECK_FALSE(goes_to("pages/index.html"));
}

TEST_CASE("a small distribution goes along whole, with its metadata") {
    PythonProject project;
    project.own("main.py", "import charts\n");
    project.distribution("charts", {"charts/__init__.py", "charts/unused.py", "charts/flags.json",
                                    "charts/tests/test_all.py", "charts/fast.pyx"});
    trace::Graph graph = project.traced();
    CHECK(has(graph, "charts.unused"));
    auto file_goes = [&](const std::string& end) {
        return std::ranges::any_of(graph.units,
                                   [&](const trace::Unit& unit) { return unit.file.ends_with(end); });
    };
    CHECK(file_goes("charts/flags.json"));
    CHECK(file_goes("charts-1.0.dist-info/METADATA"));
    CHECK_FALSE(file_goes("test_all.py"));
    CHECK_FALSE(file_goes("fast.pyx"));
    project.project.whole_packages = false;
    graph = project.traced();
    CHECK_FALSE(has(graph, "charts.unused"));
    CHECK(file_goes("charts-1.0.dist-info/METADATA"));
}

TEST_CASE("a large distribution goes along by parts") {
    PythonProject project;
    project.own("main.py", "import charts\n");
    project.site("charts/world.bin", std::string(11u << 20, ' '));
    project.site("charts/huge.py", "x = 1\n" + std::string(4u << 20, '#'));
    project.distribution("charts",
                         {"charts/__init__.py", "charts/unused.py", "charts/world.bin", "charts/huge.py"});
    trace::Graph graph = project.traced();
    CHECK(has(graph, "charts"));
    CHECK_FALSE(has(graph, "charts.unused"));
}

TEST_CASE("a module that only goes along does not bring in large packages that it can do without") {
    PythonProject project;
    project.own("main.py", "import charts\n");
    project.site("charts/with_sea.py",
                 "try:\n    import sea\nexcept ImportError:\n    sea = None\nimport json.decoder\n");
    project.distribution("charts", {"charts/__init__.py", "charts/with_sea.py"});
    project.site("sea/water.bin", std::string(11u << 20, ' '));
    project.distribution("sea", {"sea/__init__.py", "sea/water.bin"});
    trace::Graph graph = project.traced();
    CHECK(has(graph, "charts.with_sea"));
    CHECK_FALSE(has(graph, "sea"));
    // Once something asks for it, it is one like any other.
    project.own("main.py", "import charts.with_sea\n");
    CHECK(has(project.traced(), "sea"));
}

TEST_CASE("a module that a string names is no companion, though its distribution goes along whole") {
    PythonProject project;
    project.own("main.py", "import charts\n");
    project.site("charts/__init__.py", "import importlib\nKINDS = {'sea': 'charts.kinds.of_sea'}\n"
                                       "def load(name):\n    return importlib.import_module(KINDS[name])\n");
    project.site("charts/kinds/of_sea.py", "try:\n    import sea\nexcept ImportError:\n    sea = None\n");
    project.distribution("charts",
                         {"charts/__init__.py", "charts/kinds/__init__.py", "charts/kinds/of_sea.py"});
    project.distribution("sea", {"sea.py"});
    CHECK(has(project.traced(), "sea"));
}

TEST_CASE("what leads to an introspected library without windows is no toolkit of choice") {
    if (python::find_typelib("GLib", {}).empty() || python::find_typelib("Gdk", {}).empty()) return;
    auto traced = [](const std::string& library) {
        PythonProject project;
        python::LoreEntry all;
        all.on_request = {"gi"};
        project.lore.emplace("*", all);
        project.own("main.py", "import bells\n");
        project.site("gi/__init__.py");
        project.site("bells.py", "try:\n    import gi\n    from gi.repository import " + library +
                                     "\nexcept ImportError:\n    gi = None\n");
        return project.traced();
    };
    CHECK(has(traced("GLib"), "gi"));
    CHECK_FALSE(has(traced("Gdk"), "gi"));
}

TEST_CASE("requirements bring their metadata, by conditions") {
    PythonProject project;
    project.own("main.py", "import charts\n");
    project.distribution("charts", {"charts/__init__.py"},
                         "Requires-Dist: flags\nRequires-Dist: bells; sys_platform == 'win32'\n");
    project.distribution("flags", {"flags.py"});
    project.distribution("bells", {"bells.py"});
    trace::Graph graph = project.traced();
    auto file_goes = [&](const std::string& end) {
        return std::ranges::any_of(graph.units,
                                   [&](const trace::Unit& unit) { return unit.file.ends_with(end); });
    };
    CHECK(file_goes("flags-1.0.dist-info/METADATA"));
    CHECK_FALSE(file_goes("bells-1.0.dist-info/METADATA"));
}

TEST_CASE("what the project declares goes along, and is missed where it is not installed") {
    PythonProject project;
    project.own("main.py");
    project.own("pyproject.toml", "[project]\nname = \"board\"\ndependencies = [\"charts\", \"gone>=2\", "
                                  "\"bells; sys_platform == 'win32'\"]\n");
    project.distribution("charts", {"charts/__init__.py"});
    trace::Graph graph = project.traced();
    CHECK(has(graph, "charts"));
    CHECK(end_of(graph, "declared-missing").what == "gone is declared and not installed");
    CHECK(graph.loose_ends.size() == 1);
}

TEST_CASE("entry points of a group that is named bring their modules") {
    PythonProject project;
    project.own("main.py", "from importlib.metadata import entry_points\n"
                           "feeds = entry_points(group='harbour.feeds')\n");
    project.distribution("ebb", {"ebb/__init__.py", "ebb/feed.py"});
    project.site("ebb-1.0.dist-info/entry_points.txt",
                 "[harbour.feeds]\nebb = ebb.feed:Feed\n[other]\nx = nowhere\n");
    trace::Graph graph = project.traced();
    CHECK(has(graph, "ebb.feed"));
    CHECK(graph.loose_ends.empty());
}

TEST_CASE("computed imports take the family that fits, and are told") {
    PythonProject project;
    project.own("main.py", "import importlib, sys\n"
                           "feed = importlib.import_module('feeds.' + sys.argv[1])\n"
                           "other = importlib.import_module(sys.argv[2])\n");
    project.own("feeds/__init__.py");
    project.own("feeds/ebb.py");
    project.own("feeds/flood.py");
    trace::Graph graph = project.traced();
    CHECK(has(graph, "feeds.ebb"));
    CHECK(has(graph, "feeds.flood"));
    CHECK(has_end(graph, "computed-import"));
    project.project.include = {"feeds.*"};
    std::size_t before = graph.loose_ends.size();
    CHECK(project.traced().loose_ends.size() < before);
}

TEST_CASE("an include that is nowhere is told with near names") {
    PythonProject project;
    project.own("main.py");
    project.own("quay.py");
    project.project.include = {"quai"};
    trace::Graph graph = project.traced();
    const trace::LooseEnd& end = end_of(graph, "unresolved-import");
    CHECK((end.what + end.advice).find("quay") != std::string::npos);
}

TEST_CASE("for Windows its branches are followed, and packages are named that are here and not there") {
    PythonProject project;
    project.own(
        "main.py",
        "import os, sys\nif sys.platform == 'win32':\n    import winreg, bells\nelse:\n    import poles\n"
        "if os.name == 'posix':\n    import masts\ntry:\n    import flags\nexcept ImportError:\n    pass\n");
    project.distribution(
        "bells", {"bells.py"},
        "Requires-Dist: ropes>=2,<3 ; sys_platform == \"win32\"\n"
        "Requires-Dist: knots; sys_platform == \"linux\"\nRequires-Dist: tar; extra == \"hemp\"\n");
    for (const char* name : {"poles", "masts", "flags", "knots", "tar"})
        project.distribution(name, {std::string(name) + ".py"});
    project.project.folder = project.project.own_folder = project.project.root_folder =
        project.path() / "app";
    project.project.targets = {"windows-x86_64"};
    python::Facts here = project.facts(), there = here;
    there.target = "windows-x86_64";
    there.platform = "win32";
    there.search_path = {project / "std", project / "there"};
    there.built_in.insert("winreg");
    there.extension_suffixes = {".pyd"};
    python::settle_places(there);
    auto store = std::make_shared<Store>(fs::path());
    python::PythonRuntime runtime(project.project, there, here, project.lore, project.path() / "helpers",
                                  project.path() / "lore", store);
    test::SilentObserver silent;
    native::HostLibraries host({{"*", "every system has it"}}, "windows-x86_64");
    auto graph = trace::trace(runtime, {}, host, *store, 2, silent);
    REQUIRE(graph);
    std::string found;
    for (const trace::NeededPackage& one : runtime.missing_packages())
        found += fmt::format("{} {} {} {}\n", one.name, one.version, one.versions, one.is_optional);
    CHECK(found == "bells 1.0  false\nflags 1.0  true\nropes  >=2,<3 false\n");
    CHECK(runtime.start().program == "board.exe");
    CHECK(runtime.inner_launchers().front().place == "true");
}

TEST_CASE("what is excluded is not followed") {
    PythonProject project;
    project.own("main.py", "import charts\n");
    project.site("charts/__init__.py", "import charts.heavy\n");
    project.site("charts/heavy.py", "import sqlite3\n");
    project.project.exclude = {"charts.heavy"};
    trace::Graph graph = project.traced();
    CHECK_FALSE(has(graph, "charts.heavy"));
    CHECK_FALSE(has(graph, "sqlite3"));
}

TEST_CASE("a own file with the name of a standard module is told") {
    PythonProject project;
    project.own("main.py", "import json\n");
    project.own("json.py", "x = 1\n");
    CHECK(has_end(project.traced(), "shadows-standard"));
}

TEST_CASE("namespace packages are found over several folders") {
    PythonProject project;
    project.own("main.py", "import harbour.tide\nimport harbour.berth\n");
    project.own("harbour/tide.py");
    project.site("harbour/berth.py");
    trace::Graph graph = project.traced();
    CHECK(has(graph, "harbour.tide"));
    CHECK(has(graph, "harbour.berth"));
    CHECK(graph.loose_ends.empty());
}

TEST_CASE("a module behind __getattr__ comes where its name is taken") {
    PythonProject project;
    project.site("charts/__init__.py",
                 "def __getattr__(name):\n    if name == 'heavy':\n        import "
                 "charts.heavy as heavy\n        return heavy\n    raise AttributeError(name)\n");
    project.site("charts/heavy.py", "import sqlite3\n");
    project.own("main.py", "import charts\nprint(charts.light)\n");
    project.project.whole_packages = false;
    CHECK_FALSE(has(project.traced(), "charts.heavy"));
    project.own("main.py", "import charts\nprint(charts.heavy)\n");
    CHECK(has(project.traced(), "charts.heavy"));
}

TEST_CASE("lore is taken where its module is there") {
    PythonProject project;
    project.own("main.py", "import charts\n");
    project.site("charts/__init__.py");
    project.site("charts/late.py");
    project.site("charts/flags/halcyon.svg", "<svg/>");
    project.project.whole_packages = false;
    python::LoreEntry entry;
    entry.why = "names are made of settings";
    entry.include = {"charts.late"};
    project.lore.emplace("charts", entry);
    python::LoreEntry other;
    other.why = "it is not there";
    other.include = {"sqlite3"};
    project.lore.emplace("boats", other);
    trace::Graph graph = project.traced();
    CHECK(has(graph, "charts.late"));
    CHECK_FALSE(has(graph, "sqlite3"));
}

TEST_CASE("files that own code names beside it go along with own-files turned off") {
    PythonProject project;
    project.own("main.py", "from pathlib import Path\nopen(Path(__file__).parent / 'charts' / 'flags.csv')\n"
                           "open('notes/../tides.csv')\n");
    project.own("charts/flags.csv", "1");
    project.own("unnamed/other.csv", "1");
    project.project.own_files = false;
    trace::Graph graph = project.traced();
    auto file_goes = [&](const std::string& end) {
        return std::ranges::any_of(graph.units,
                                   [&](const trace::Unit& unit) { return unit.file.ends_with(end); });
    };
    CHECK(file_goes("charts/flags.csv"));
    CHECK_FALSE(file_goes("unnamed/other.csv"));
}

TEST_CASE("extension modules are found by the interpreter's suffixes") {
    PythonProject project;
    project.own("main.py", "import _bell\nimport _other\n");
    fs::copy_file("/bin/true", project.path() / "site/_bell.cpython-311.so");
    fs::copy_file("/bin/true", project.path() / "site/_other.cpython-39.so");
    trace::Graph graph = project.traced();
    auto bell = std::ranges::find(graph.units, "_bell", &trace::Unit::name);
    REQUIRE(bell != graph.units.end());
    CHECK(bell->kind == trace::UnitKind::extension);
    const trace::LooseEnd& end = end_of(graph, graph.loose_ends.front().kind);
    CHECK(end.what.find("_other") != std::string::npos);
}

TEST_CASE("facts of rehearsals are needs like others") {
    PythonProject project;
    project.own("main.py");
    project.site("charts/__init__.py");
    project.own("tides.bin", "1");
    project.project.own_files = false;
    project.project.rehearsed.modules.insert({"charts", "main.py:1"});
    project.project.rehearsed.files.insert({"", "tides.bin"});
    trace::Graph graph = project.traced();
    CHECK(has(graph, "charts"));
    CHECK(
        std::ranges::any_of(graph.units, [](const auto& unit) { return unit.file.ends_with("tides.bin"); }));
}

TEST_CASE("the same Python project gives the same graph, whatever the threads do") {
    PythonProject project;
    project.own("main.py", "import a, b, c, charts\n");
    for (const char* name : {"a", "b", "c"}) project.own(std::string(name) + ".py", "import charts, json\n");
    project.distribution("charts", {"charts/__init__.py", "charts/one.py", "charts/two.py"});
    trace::Graph first = project.traced();
    for (int round = 0; round < 5; ++round) {
        trace::Graph again = project.traced();
        REQUIRE(again.units.size() == first.units.size());
        for (std::size_t i = 0; i < first.units.size(); ++i)
            CHECK(again.units[i].name == first.units[i].name);
        CHECK(again.edges.size() == first.edges.size());
        CHECK(again.loose_ends == first.loose_ends);
    }
}
