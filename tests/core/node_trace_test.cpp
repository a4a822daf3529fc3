// What a trace of Node.js applications finds, on projects in a folder, without a runtime.
#include "folder.h"
#include "runtimes/node/node_runtime.h"
#include "silent_observer.h"
#include "trace/tracer.h"

#include <algorithm>
#include <set>

using namespace omnistasis;
using test::Folder;

namespace {

using Names = std::set<std::string>;

/// A project in a folder, traced with facts that no runtime was asked for.
struct NodeProject : Folder {
    Project project;
    node::Facts facts{.program = "/bin/true",
                      .version = "20.11.1",
                      .target = host_target(),
                      .system = "linux",
                      .processor = host_info().short_processor,
                      .runs_here = false};
    node::Lore lore;

    explicit NodeProject(const std::string& main = "main.js") {
        project.entry = main;
        project.name = "board";
        project.targets = {host_target()};
    }

    /// A package with a package.json and an empty main file.
    void package(const std::string& name, const std::string& more = "", const std::string& main = "") {
        write("node_modules/" + name + "/package.json", "{\"name\": \"" + name +
                                                            "\", \"version\": \"1.0.0\"" +
                                                            (more.empty() ? "" : ", " + more) + "}");
        write("node_modules/" + name + "/index.js", main);
    }

    trace::Graph traced() {
        project.folder = project.own_folder = project.root_folder = path();
        auto store = std::make_shared<Store>(fs::path());
        node::NodeRuntime runtime(project, facts, lore, path(), store);
        test::SilentObserver silent;
        native::HostLibraries host({{"*", "every system has it"}}, facts.target);
        auto graph = trace::trace(runtime, {}, host, *store, 2, silent);
        if (!graph) FAIL(graph.error().what + " " + graph.error().where);
        return *graph;
    }
};

/// The places of files, without the runtime's.
Names places(const trace::Graph& graph) {
    Names found;
    for (const trace::Unit& unit : graph.units)
        if (unit.place.starts_with("app/")) found.insert(unit.place.substr(4));
    return found;
}

Names kinds_of_ends(const trace::Graph& graph) {
    Names kinds;
    for (const trace::LooseEnd& end : graph.loose_ends) kinds.insert(end.kind + (end.minor ? "?" : ""));
    return kinds;
}

const trace::LooseEnd& end_of(const trace::Graph& graph, const std::string& kind) {
    auto found = std::ranges::find(graph.loose_ends, kind, &trace::LooseEnd::kind);
    REQUIRE(found != graph.loose_ends.end());
    return *found;
}

const trace::Reason& reason_for(const trace::Graph& graph, const std::string& place) {
    for (const trace::Edge& edge : graph.edges)
        if (graph.units[edge.to].place == "app/" + place) return edge.reason;
    FAIL("nothing needs " + place);
    throw 0;
}

} // namespace

TEST_CASE("requests lead to files, packages and their descriptions, with line and verb") {
    NodeProject project;
    project.write("main.js",
                  "const tide = require('./lib/tide');\nimport('./late.mjs');\n\nrequire('charts');\n");
    project.write("lib/tide.js", "require('node:fs'); require('path');\n");
    project.write("late.mjs", "import charts from 'charts/deep/flags.js';\n");
    project.package("charts");
    project.write("node_modules/charts/deep/flags.js");
    trace::Graph graph = project.traced();
    CHECK(places(graph) == Names{"main.js", "lib/tide.js", "late.mjs", "node_modules/charts/package.json",
                                 "node_modules/charts/index.js", "node_modules/charts/deep/flags.js"});
    CHECK(graph.loose_ends.empty());
    CHECK(reason_for(graph, "late.mjs").line == 2);
    CHECK_FALSE(reason_for(graph, "late.mjs").verb.empty());
    CHECK(reason_for(graph, "lib/tide.js").file == project / "main.js");
}

TEST_CASE("what is not there is a loose end where it must be there, with near names") {
    NodeProject project;
    project.package("charts");
    project.write("main.js", "require('chart');\ntry { require('fog'); } catch {}\nrequire('./gone');\n");
    trace::Graph graph = project.traced();
    REQUIRE(graph.loose_ends.size() == 2);
    auto chart = std::ranges::find_if(graph.loose_ends, [](const auto& end) { return end.line == 1; });
    REQUIRE(chart != graph.loose_ends.end());
    CHECK(chart->kind == "unresolved-import");
    CHECK((chart->what + chart->advice).find("charts") != std::string::npos);
    REQUIRE(graph.absent.size() == 1);
    CHECK(graph.absent[0].name == "fog");
    CHECK(graph.absent[0].line == 2);
}

TEST_CASE("the application's own files go along, without what developers keep") {
    NodeProject project;
    project.write("main.js");
    for (const char* name : {"pages/index.html", "tides/2031.csv", "lib/unused.js", "LICENSE"})
        project.write(name, "x");
    for (const char* name :
         {"node_modules/.package-lock.json", "test/main.test.js", "coverage/a.html", "README.md",
          "package-lock.json", ".env", "publisher.pem", "out/linux-x86_64/board"})
        project.write(name, "x");
    CHECK(places(project.traced()) ==
          Names{"main.js", "pages/index.html", "tides/2031.csv", "lib/unused.js", "LICENSE"});
    project.project.own_files = false;
    CHECK(places(project.traced()) == Names{"main.js"});
}

TEST_CASE("a small package goes along whole, without its tests, maps and types") {
    NodeProject project;
    project.write("main.js", "require('charts');\n");
    project.package("charts");
    for (const char* name : {"data/flags.json", "lib/unused.js", "bin/tool.js"})
        project.write(std::string("node_modules/charts/") + name, "1");
    for (const char* name :
         {"index.js.map", "index.d.ts", "test/all.js", "docs/guide.html", "README.md", "src/a.cc"})
        project.write(std::string("node_modules/charts/") + name, "1");
    project.package("unreached");
    CHECK(places(project.traced()) ==
          Names{"main.js", "node_modules/charts/package.json", "node_modules/charts/index.js",
                "node_modules/charts/data/flags.json", "node_modules/charts/lib/unused.js",
                "node_modules/charts/bin/tool.js"});
    project.project.whole_packages = false;
    CHECK(places(project.traced()) ==
          Names{"main.js", "node_modules/charts/package.json", "node_modules/charts/index.js"});
}

TEST_CASE("a large package goes along by parts") {
    NodeProject project;
    project.write("main.js", "require('charts');\n");
    project.package("charts", "", "require('./near.js');\n");
    project.write("node_modules/charts/near.js");
    project.write("node_modules/charts/far.js");
    project.write("node_modules/charts/world.json", std::string(11u << 20, ' '));
    CHECK(places(project.traced()) == Names{"main.js", "node_modules/charts/package.json",
                                            "node_modules/charts/index.js", "node_modules/charts/near.js"});
}

TEST_CASE("a package whose native files are large goes along without those that nothing reached") {
    NodeProject project;
    project.write("main.js", "require('charts');\n");
    project.package("charts");
    project.write("node_modules/charts/versions.json", "{}");
    std::string library("\x7f"
                        "ELF\x02\x01",
                        6);
    library.resize(18);
    library += std::string(1, static_cast<char>(host_info().machine)) + std::string(1, '\0');
    library.resize(11u << 20);
    project.write("node_modules/charts/lib/libbig.so", library);
    CHECK(places(project.traced()) == Names{"main.js", "node_modules/charts/package.json",
                                            "node_modules/charts/index.js",
                                            "node_modules/charts/versions.json"});
}

TEST_CASE("what package.json declares goes along, and is missed where it is not installed") {
    NodeProject project;
    project.write("main.js");
    project.write("package.json", R"({"name": "board", "dependencies": {"charts": "1", "gone": "1"},
        "optionalDependencies": {"fog": "1", "mist": "1"}, "devDependencies": {"linter": "1"}})");
    for (const char* name : {"charts", "fog", "linter"}) project.package(name);
    trace::Graph graph = project.traced();
    Names found = places(graph);
    CHECK(found.contains("node_modules/charts/index.js"));
    CHECK(found.contains("node_modules/fog/index.js"));
    CHECK_FALSE(found.contains("node_modules/linter/index.js"));
    CHECK(kinds_of_ends(graph) == Names{"declared-missing"});
    CHECK(end_of(graph, "declared-missing").what == "gone is declared and not installed");
    CHECK(end_of(graph, "declared-missing").advice == "run `npm install` in the project");
}

TEST_CASE("a package without a main file goes along by its description") {
    NodeProject project;
    project.write("main.js");
    project.write("package.json", R"({"name": "board", "dependencies": {"flags": "1"}})");
    project.write("node_modules/flags/package.json", R"({"name": "flags"})");
    project.write("node_modules/flags/svg/halcyon.svg", "<svg/>");
    Names found = places(project.traced());
    CHECK(found.contains("node_modules/flags/package.json"));
    CHECK(found.contains("node_modules/flags/svg/halcyon.svg"));
}

TEST_CASE("names of declared packages in strings and settings of packages count") {
    NodeProject project;
    project.write("main.js", "require('loader');\n");
    project.package("loader", R"("dependencies": {"plain": "1", "named": "1", "other": "1"})",
                    "const wanted = ['named/part.js'];\n");
    for (const char* name : {"plain", "named", "other"}) project.package(name);
    project.write("node_modules/named/part.js");
    project.project.whole_packages = false;
    Names found = places(project.traced());
    CHECK(found.contains("node_modules/named/part.js"));
    CHECK_FALSE(found.contains("node_modules/plain/index.js"));
}

TEST_CASE("a path with a computed part takes what fits, and is told with the option that settles it") {
    NodeProject project;
    project.write("main.js", "const path = require('path');\nmodule.exports = (name) => "
                             "require(path.join(__dirname, 'plugins', name + '.js'));\n");
    project.write("plugins/fog.js");
    project.write("plugins/ebb.js");
    project.write("plugins/notes.txt", "x");
    project.project.own_files = false;
    trace::Graph graph = project.traced();
    CHECK(places(graph) == Names{"main.js", "plugins/fog.js", "plugins/ebb.js"});
    const trace::LooseEnd& end = end_of(graph, "computed-import");
    CHECK(end.line == 2);
    CHECK_FALSE(end.minor);
    INFO(end.advice);
    CHECK(end.advice.find("--include 'plugins/**.js'") != std::string::npos);
    project.project.include = {"plugins/*.js"};
    CHECK(project.traced().loose_ends.empty());
}

TEST_CASE("a computed package name takes those that the asking package declares") {
    NodeProject project;
    project.write("main.js", "require('store');\n");
    project.package(
        "store",
        R"("dependencies": {"store-sqlite": "1", "left": "1"}, "peerDependencies": {"store-pg": "1"})",
        "module.exports = (kind) => require('store-' + kind);\n");
    for (const char* name : {"store-sqlite", "store-pg", "left", "store-unknown"}) project.package(name);
    trace::Graph graph = project.traced();
    Names found = places(graph);
    CHECK(found.contains("node_modules/store-sqlite/index.js"));
    CHECK(found.contains("node_modules/store-pg/index.js"));
    CHECK_FALSE(found.contains("node_modules/left/index.js"));
    CHECK_FALSE(found.contains("node_modules/store-unknown/index.js"));
    CHECK(kinds_of_ends(graph) == Names{"computed-import?"});
}

TEST_CASE("a module by a wholly computed name is a loose end of the own code, not of a guarded one") {
    NodeProject project;
    project.write("main.js", "const name = process.argv[2];\nrequire(name);\n"
                             "try { require(process.argv[3]); } catch {}\n");
    trace::Graph graph = project.traced();
    REQUIRE(graph.loose_ends.size() == 1);
    CHECK(graph.loose_ends[0].line == 2);
    CHECK(graph.loose_ends[0].what == "main.js loads a module by a computed name");
}

TEST_CASE("of packages for each system the target's part goes along, with its programs") {
    NodeProject project;
    std::string fits = "bundle-linux-" + project.facts.processor;
    project.write("main.js", "require('bundle');\n");
    project.package("bundle",
                    "\"optionalDependencies\": {\"" + fits + "\": \"1\", \"bundle-win32-x64\": \"1\"}");
    project.package(fits, "\"os\": [\"linux\"], \"cpu\": [\"" + project.facts.processor + "\"]");
    project.write("node_modules/" + fits + "/bin/bundle", "#!/bin/sh\n");
    project.package("bundle-win32-x64", R"("os": ["win32"], "cpu": ["x64"])");
    Names found = places(project.traced());
    CHECK(found.contains("node_modules/" + fits + "/bin/bundle"));
    CHECK_FALSE(found.contains("node_modules/bundle-win32-x64/package.json"));
    project.facts.system = "darwin";
    project.facts.target = "macos-x86_64";
    project.facts.processor = "x64";
    trace::Graph foreign = project.traced();
    CHECK(kinds_of_ends(foreign).contains("unfit-package"));
    CHECK(end_of(foreign, "unfit-package").advice.starts_with("npm install --force --no-save"));
}

TEST_CASE("addons that are looked for by a computed name: those for the target, or a loose end") {
    NodeProject project;
    project.write("main.js", "require('bell');\n");
    project.package("bell", R"("dependencies": {"node-gyp-build": "1"})");
    std::string elf("\x7f"
                    "ELF\x02\x01",
                    6);
    elf.resize(18);
    elf += std::string(1, static_cast<char>(host_info().machine)) + std::string(80, '\0');
    // No library can be read in it, so the trace of other systems is used: it only reads what is there.
    project.write("node_modules/bell/prebuilds/darwin-arm64/bell.node",
                  std::string("\xcf\xfa\xed\xfe\x0c\0\0\x01", 8) + std::string(60, '\0'));
    trace::Graph graph = project.traced();
    CHECK(kinds_of_ends(graph) == Names{"unfit-package"});
    CHECK(end_of(graph, "unfit-package").what.find("bell") != std::string::npos);
}

TEST_CASE("lore brings what a package loads unseen") {
    NodeProject project;
    project.write("main.js", "require('board-themes');\n");
    project.package("board-themes");
    project.package("theme-night");
    project.package("theme-fog");
    project.write("node_modules/board-themes/late.js");
    project.project.whole_packages = false;
    project.lore.emplace("board-themes",
                         node::LoreEntry{"names are made of settings", {"./late.js"}, {}, {}});
    Names found = places(project.traced());
    CHECK(found.contains("node_modules/board-themes/late.js"));
    project.lore.begin()->second.data = {"*.js"};
    CHECK(places(project.traced()).contains("node_modules/board-themes/index.js"));
}

TEST_CASE("a broken package.json is told with file and line") {
    NodeProject project;
    project.write("main.js", "require('charts');\n");
    project.write("node_modules/charts/package.json", "{\n  \"name\": \"charts\",\n}");
    project.write("node_modules/charts/index.js");
    trace::Graph graph = project.traced();
    const trace::LooseEnd& end = end_of(graph, "broken-package");
    CHECK(end.file.ends_with("charts/package.json"));
    CHECK(end.line == 3);
}

TEST_CASE("a path that a package's exports do not give is told") {
    NodeProject project;
    project.write("main.js", "require('charts/hidden.js');\n");
    project.package("charts", R"("exports": {".": "./index.js"})");
    project.write("node_modules/charts/hidden.js");
    CHECK(kinds_of_ends(project.traced()) == Names{"forbidden-path"});
}

TEST_CASE("what is excluded stays out, by name and by pattern") {
    NodeProject project;
    project.write("main.js", "require('charts'); require('fog');\n");
    project.package("charts");
    project.package("fog");
    project.write("pages/index.html", "x");
    project.project.exclude = {"fog", "pages/*"};
    Names found = places(project.traced());
    CHECK(found.contains("node_modules/charts/index.js"));
    CHECK_FALSE(found.contains("node_modules/fog/index.js"));
    CHECK_FALSE(found.contains("pages/index.html"));
}

TEST_CASE("an include that is nowhere is an error") {
    NodeProject project;
    project.write("main.js");
    project.project.include = {"nowhere-at-all"};
    project.project.folder = project.project.own_folder = project.project.root_folder = project.path();
    auto store = std::make_shared<Store>(fs::path());
    node::NodeRuntime runtime(project.project, project.facts, {}, project.path(), store);
    auto roots = runtime.roots();
    REQUIRE_FALSE(roots);
    CHECK(roots.error().kind == ErrorKind::bad_input);
    CHECK(roots.error().what.find("nowhere-at-all") != std::string::npos);
}

TEST_CASE("a linked package of a workspace goes where its link is") {
    NodeProject project;
    project.write("main.js", "require('@harbour/tide');\nrequire('./packages/tide/extra.js');\n");
    project.write("package.json", R"({"name": "harbour", "workspaces": ["packages/*"]})");
    project.write("packages/tide/package.json", R"({"name": "@harbour/tide", "main": "tide.js"})");
    project.write("packages/tide/tide.js", "require('./extra.js');\n");
    project.write("packages/tide/extra.js");
    fs::create_directories(project.path() / "node_modules/@harbour");
    fs::create_directory_symlink("../../packages/tide", project.path() / "node_modules/@harbour/tide");
    Names found = places(project.traced());
    CHECK(found.contains("node_modules/@harbour/tide/tide.js"));
    CHECK(found.contains("node_modules/@harbour/tide/extra.js"));
    std::string all;
    for (const std::string& one : found) all += one + " ";
    INFO(all);
    CHECK(found.contains("packages/tide/extra.js"));
}

TEST_CASE("the same project gives the same graph, whatever the threads do") {
    NodeProject project;
    project.write("main.js", "for (const one of ['a', 'b', 'c']) require('./' + one);\nrequire('charts');\n");
    for (const char* name : {"a.js", "b.js", "c.js"}) project.write(name, "require('charts');\n");
    project.package("charts");
    trace::Graph first = project.traced();
    for (int round = 0; round < 5; ++round) {
        trace::Graph again = project.traced();
        REQUIRE(again.units.size() == first.units.size());
        for (std::size_t i = 0; i < first.units.size(); ++i)
            CHECK(again.units[i].place == first.units[i].place);
        CHECK(again.edges.size() == first.edges.size());
        CHECK(again.loose_ends == first.loose_ends);
    }
}
