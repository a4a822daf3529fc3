// What files that somebody else wrote say: package.json, lists of modules, metadata of distributions, lore.
#include "folder.h"
#include "runtimes/lore_list.h"
#include "runtimes/node/lore.h"
#include "runtimes/node/package_json.h"
#include "runtimes/python/installed_distributions.h"
#include "runtimes/python/lore.h"

#include <algorithm>

using namespace omnistasis;
using test::Folder;

namespace {

using Texts = std::vector<std::string>;

std::shared_ptr<const node::PackageJson> package(const std::string& text) {
    Folder folder;
    return node::read_package_json(folder.write("package.json", text));
}

bool says(const Error& error, const std::string& part) {
    return (error.what + "\n" + error.where + "\n" + error.why + "\n" + error.hint).find(part) !=
           std::string::npos;
}

} // namespace

TEST_CASE("a package.json says how a package is loaded and what it needs") {
    auto read =
        package(R"({"name": "@harbour/tide", "version": "1.2.3", "main": "./lib/tide", "type": "module",
        "dependencies": {"charts": "^1", "flags": "*"}, "optionalDependencies": {"fog": "1"},
        "peerDependencies": {"board": "2"}, "devDependencies": {"linter": "1"},
        "bin": {"tide": "./bin/tide.js", "ebb": "bin/ebb.js"}, "os": ["linux", "!win32"], "cpu": ["x64"],
        "libc": ["glibc"], "license": "MIT", "homepage": "https://harbour.example"})");
    REQUIRE(read);
    CHECK(read->error.empty());
    CHECK(read->name == "@harbour/tide");
    CHECK(read->version == "1.2.3");
    CHECK(read->main == "./lib/tide");
    CHECK(read->is_module);
    CHECK(read->needs == Texts{"charts", "flags"});
    CHECK(std::ranges::find(read->may_need, "fog") != read->may_need.end());
    CHECK(std::ranges::find(read->may_need, "board") != read->may_need.end());
    CHECK(read->peers == Texts{"board"});
    CHECK(read->needs_for_development == Texts{"linter"});
    CHECK(read->programs.at("ebb") == "bin/ebb.js");
    CHECK(read->systems == Texts{"linux", "!win32"});
    CHECK(read->processors == Texts{"x64"});
    CHECK(read->c_libraries == Texts{"glibc"});
    CHECK(read->licence == "MIT");
}

TEST_CASE("the author is a name, without address and page") {
    for (const char* author :
         {R"-("Port Halcyon <office@halcyon.example> (https://halcyon.example)")-",
          R"({"name": "Port Halcyon", "email": "office@halcyon.example"})", R"("Port Halcyon")"}) {
        auto read = package(std::string("{\"author\": ") + author + "}");
        REQUIRE(read);
        CHECK(read->author == "Port Halcyon");
    }
    CHECK(package(R"({"author": 5})")->author.empty());
}

TEST_CASE("one program is named after the package") {
    auto read = package(R"({"name": "@harbour/tide", "bin": "./tide.js"})");
    REQUIRE(read);
    CHECK(read->programs == std::map<std::string, std::string>{{"tide", "./tide.js"}});
}

TEST_CASE("a package.json of other kinds of values is one without them") {
    for (const char* text :
         {R"({"name": 5, "main": [], "bin": 7, "dependencies": [], "os": "linux", "exports": 3})",
          R"({"dependencies": {"a": {}}, "bin": {"a": 5}, "type": 1, "license": ["MIT"]})", "{}",
          R"({"license": {"type": "MIT"}, "licenses": [{"type": "MIT"}], "homepage": {}})"}) {
        INFO(text);
        auto read = package(text);
        REQUIRE(read);
        CHECK(read->error.empty());
        CHECK_FALSE(read->is_module);
    }
}

TEST_CASE("a package.json that is no JSON says where") {
    auto endless = package("{\"version\": 7e99999}");
    REQUIRE(endless);
    CHECK_FALSE(endless->error.empty());
    auto read = package("{\n  \"name\": \"tide\",\n  oops\n}");
    REQUIRE(read);
    CHECK_FALSE(read->error.empty());
    CHECK(read->error_line == 3);
    CHECK(node::read_package_json("/nowhere/package.json") == nullptr);
    for (const char* text : {"", "[]", "null", "5", "{", "\xff\xfe", "{\"a\": \"\\ud800\"}"})
        (void)package(text);
    std::string deep;
    for (int i = 0; i < 2000; ++i) deep += "{\"a\":";
    (void)package(deep);
}

TEST_CASE("installed distributions are found by name and by file, with what they require") {
    Folder folder;
    folder.write("charts/__init__.py", "");
    folder.write("charts-1.2.dist-info/METADATA",
                 "Metadata-Version: 2.1\nName: Charts\nVersion: 1.2\nRequires-Dist: flags>=1\n"
                 "Requires-Dist: bells; extra == 'sound'\nRequires-Dist: gone\n");
    folder.write("charts-1.2.dist-info/RECORD", "charts/__init__.py,,\ncharts-1.2.dist-info/METADATA,,\n");
    folder.write("flags.py", "");
    folder.write("flags-1.0.dist-info/METADATA", "Metadata-Version: 2.1\nName: flags\nVersion: 1.0\n");
    folder.write("flags-1.0.dist-info/RECORD", "flags.py,,\n");
    folder.write("bells.py", "");
    folder.write("bells-1.0.dist-info/METADATA", "Metadata-Version: 2.1\nName: bells\nVersion: 1.0\n");
    folder.write("bells-1.0.dist-info/RECORD", "bells.py,,\n");
    python::InstalledDistributions installed({folder.path()},
                                             python::marker_variables(3, 11, 2, "linux", "x86_64"));
    CHECK(installed.all().size() == 3);
    const python::Distribution* charts = installed.named("charts");
    REQUIRE(charts != nullptr);
    CHECK(charts->version == "1.2");
    CHECK(installed.named("Charts") == nullptr);
    CHECK(installed.owner_of(folder / "charts/__init__.py") == charts);
    CHECK(installed.owner_of(folder / "nobody.py") == nullptr);
    auto names = [&](const std::set<std::string>& extras, bool all) {
        Texts found;
        for (const python::Distribution* one : installed.required_by(*charts, extras, all))
            found.push_back(one->name);
        return found;
    };
    CHECK(names({}, false) == Texts{"flags"});
    CHECK(names({"sound"}, false) == Texts{"flags", "bells"});
    CHECK(names({}, true) == Texts{"flags", "bells"});
    CHECK(installed.are_related(*charts, *installed.named("bells")));
    CHECK_FALSE(installed.are_related(*installed.named("bells"), *charts));
    CHECK_FALSE(installed.is_large(*charts));
}

TEST_CASE("files that do not go along with a distribution, and the names of those that do") {
    for (const char* file :
         {"charts/tests/a.py", "tests/a.py", "charts/include/a.h", "charts/a.pyx", "charts/a.c",
          "charts/__pycache__/a.pyc", "charts/docs/a.txt", "charts/conftest.py", "a.pth"}) {
        INFO(file);
        CHECK(python::is_passed_file(file));
    }
    for (const char* file : {"charts/a.py", "charts/testing.py", "charts/data/a.csv", "charts/a.so"}) {
        INFO(file);
        CHECK_FALSE(python::is_passed_file(file));
    }
    CHECK(python::is_passed_module("charts.tests.deep"));
    CHECK_FALSE(python::is_passed_module("charts.testing"));
    CHECK(python::module_name_of("charts/__init__.py") == "charts");
    CHECK(python::module_name_of("charts/flags.py") == "charts.flags");
    CHECK(python::module_name_of("charts/_bell.cpython-311-x86_64-linux-gnu.so") == "charts._bell");
    CHECK(python::module_name_of("flags.py") == "flags");
    CHECK(python::module_name_of("charts/flags.csv").empty());
    CHECK(python::module_name_of("charts-1.2.dist-info/x.py").empty());
}

TEST_CASE("the installed lore of all languages is valid, and each entry says why it is there") {
    auto known = known_lore(fs::path(DATA_FOLDER).parent_path());
    if (!known) FAIL(known.error().what + " " + known.error().where + " " + known.error().why);
    CHECK(known->size() > 50);
    for (const LoreSummary& one : *known) {
        INFO(one.about);
        CHECK(one.why.size() > 10);
    }
}

TEST_CASE("lore of one's own is read whatever its language, or refused with its place") {
    Folder folder;
    auto of_python =
        lore_in_file(folder.write("p.toml", "format = 1\n[[lore]]\nmodule = \"charts\"\nwhy = \"names "
                                            "are made of settings\"\ninclude = [\"charts.late\"]\n"
                                            "versions = { charts = \">=2\" }\n"));
    REQUIRE(of_python);
    REQUIRE(of_python->size() == 1);
    CHECK((*of_python)[0].about == "charts");
    CHECK((*of_python)[0].condition == " (charts >=2)");
    auto of_node = lore_in_file(folder.write(
        "n.toml", "format = 1\n[[lore]]\npackage = \"charts\"\nwhy = \"names are made of settings\"\n"));
    REQUIRE(of_node);
    CHECK((*of_node)[0].about == "charts");
    for (const char* text :
         {"format = 2\n", "format = 1\n", "format = 1\nlore = 5\n", "format = 1\nlore = [5]\n",
          "format = 1\n[[lore]]\nmodule = \"a\"\n", "format = 1\n[[lore]]\nmodule = 5\nwhy = \"x\"\n",
          "format = 1\n[[lore]]\nmodule = \"a\"\nwhy = \"x\"\nincluded = []\n", "[[lore\n"}) {
        INFO(text);
        auto wrong = lore_in_file(folder.write("w.toml", text));
        REQUIRE_FALSE(wrong);
        CHECK(wrong.error().kind == ErrorKind::bad_input);
        CHECK(says(wrong.error(), "w.toml:"));
    }
    CHECK_FALSE(lore_in_file(folder / "gone.toml"));
}
