// What of a watched run becomes a finding, and what does not.
#include "folder.h"
#include "watch/findings.h"

#include <algorithm>
#include <map>

using namespace omnistasis;
using namespace omnistasis::watch;

namespace {

/// A language whose code files end with `.up`, and whose packages lie in `packages/NAME/`.
class WatchedRuntime : public trace::Runtime, public trace::WatchesImports, public trace::KnowsPackages {
  public:
    std::string folder;                     ///< of the project
    std::map<std::string, bool> importable; ///< modules that a trace would find

    std::string title() const override { return "Made Up 1"; }
    fs::path program() const override { return "/bin/true"; }
    Result<trace::Expansion> roots() override { return trace::Expansion(); }
    trace::Expansion expand(const trace::Unit&) override { return {}; }
    Result<std::vector<trace::MadeFile>> make_files(const std::vector<trace::Unit>&, unsigned,
                                                    Observer&) override {
        return std::vector<trace::MadeFile>();
    }
    trace::Start start() const override { return {}; }

    Result<trace::SourceRun> source_run(const fs::path&, const std::vector<std::string>&) override {
        return trace::SourceRun{};
    }
    Result<trace::SourceRun> watched_run(const fs::path&, const std::vector<std::string>&) override {
        return trace::SourceRun{};
    }
    std::vector<trace::SeenModule> seen_modules(const fs::path&) override { return {}; }
    std::string module_file(const std::string&) override { return {}; }
    bool is_code_file(const fs::path& file) override { return file.extension() == ".up"; }
    std::string place_asked_for(const fs::path& file) override {
        std::string inner = relative_to(file.string(), folder);
        return inner.empty() ? "" : "app/" + inner;
    }
    trace::Expansion recall(const Rehearsed& facts) override {
        trace::Expansion out;
        for (const Rehearsed::Module& module : facts.modules)
            if (importable.contains(module.name))
                out.needs.push_back({{trace::UnitKind::code, module.name, "", "", false}, {}});
        return out;
    }

    std::vector<trace::Package> packages(const std::vector<trace::Unit>&) override { return {}; }
    trace::Package own_package() override { return {}; }
    std::optional<Rehearsed::File> package_file(const fs::path& file) override {
        std::string inner = relative_to(file.string(), folder + "/packages");
        std::size_t slash = inner.find('/');
        if (slash == std::string::npos) return std::nullopt;
        return Rehearsed::File{inner.substr(0, slash), inner.substr(slash + 1)};
    }
};

struct Watched : test::Folder {
    WatchedRuntime runtime;
    Project project;
    trace::Graph graph;
    std::vector<trace::SeenModule> modules;
    SeenFiles files;

    Watched() {
        runtime.folder = project.folder = project.root_folder = path();
        runtime.folder = path().string();
        project.targets = {host_target()};
        write("main.up", "call(name)\n");
        graph.units = {{trace::UnitKind::code, "main", path() / "main.up", "app/main.up", true}};
    }

    Findings found() {
        return findings_of(project, runtime, graph,
                           native::HostLibraries({{"libGL.so.1", "a driver"}}, host_target()), modules,
                           files);
    }
    /// "kind name", in the order of the table.
    std::vector<std::string> rows() {
        std::vector<std::string> lines;
        for (const Finding& one : found().rows)
            lines.push_back(std::string(word_of(one.kind)) + " " + one.name);
        return lines;
    }
};

using Rows = std::vector<std::string>;

} // namespace

TEST_CASE("a module that the trace did not have is found, with the line that asked") {
    Watched watched;
    watched.runtime.importable = {{"fog", true}};
    watched.modules = {{"fog", watched.path() / "main.up", 1}, {"main", "", 0}, {"made_on_the_fly", "", 0}};
    Findings found = watched.found();
    REQUIRE(found.rows.size() == 1);
    CHECK(found.rows[0].kind == SeenKind::module);
    CHECK(found.rows[0].from == "main.up:1");
    CHECK(found.facts.modules.size() == 1);
}

TEST_CASE("what a new module imports is for the next trace") {
    Watched watched;
    watched.runtime.importable = {{"fog", true}, {"deeper", true}};
    watched.modules = {{"deeper", watched.path() / "fog.up", 1}};
    CHECK(watched.rows().empty());
}

TEST_CASE("own files that were read are found where the built program would miss them") {
    Watched watched;
    watched.files.read = {watched.write("tides.csv", "1"), watched.write("carried.csv", "1"),
                          watched.write("code.up", "1"), watched.write(".git/HEAD", "1"),
                          watched.write("out/linux/x", "1")};
    watched.graph.units.push_back(
        {trace::UnitKind::data, "carried.csv", watched / "carried.csv", "app/carried.csv", true});
    CHECK(watched.rows() == Rows{"file tides.csv"});
    // One that is carried, but to another place than it is asked for, is missed too.
    watched.graph.units.back().place = "elsewhere/carried.csv";
    CHECK(watched.rows() == Rows{"file carried.csv", "file tides.csv"});
    CHECK(watched.found().facts.files.size() == 2);
}

TEST_CASE("files of packages are named with their package") {
    Watched watched;
    watched.files.read = {watched.write("packages/charts/flags/halcyon.svg", "1")};
    watched.runtime.folder = watched.path().string();
    Findings found = watched.found();
    REQUIRE(found.rows.size() == 1);
    CHECK(found.rows[0].name.find("flags/halcyon.svg") != std::string::npos);
}

TEST_CASE("files of the machine and host libraries are nobody's finding") {
    Watched watched;
    for (const char* file : {"/etc/hosts", "/proc/self/maps", "/usr/share/fonts/a.ttf",
                             "/usr/share/zoneinfo/UTC", "/dev/null", "/tmp/x"})
        watched.files.read.insert(file);
    watched.files.read.insert("/usr/lib/" + host_info().library_folder + "/libGL.so.1");
    watched.files.read.insert("/usr/lib/" + host_info().library_folder + "/gconv/gconv-modules.cache");
    CHECK(watched.rows().empty());
}

TEST_CASE("programs outside of the project are found once, the runtime's own not") {
    Watched watched;
    watched.files.programs = {"/usr/bin/make-tides", "/bin/sh", "/bin/true"};
    CHECK(watched.rows() == Rows{"program /usr/bin/make-tides"});
    watched.project.rehearsed.programs.insert("/usr/bin/make-tides");
    CHECK(watched.rows().empty());
}

TEST_CASE("own files that were written are state, unless the project says so already") {
    Watched watched;
    watched.files.written = {watched.write("logbook.db", "1"), watched.write("notes/a.txt", "1"),
                             "/elsewhere/x"};
    CHECK(watched.rows() == Rows{"written logbook.db", "written notes/a.txt"});
    watched.project.states = {{"logbook.db", false, ""}, {"notes", true, ""}};
    CHECK(watched.rows().empty());
}

TEST_CASE("rows come by kind and name, whatever the order that they were seen in") {
    Watched watched;
    watched.runtime.importable = {{"zebra", true}, {"ebb", true}};
    watched.modules = {{"zebra", "", 0}, {"ebb", "", 0}};
    watched.files.read = {watched.write("b.csv", "1"), watched.write("a.csv", "1")};
    watched.files.programs = {"/usr/bin/make-tides"};
    CHECK(watched.rows() ==
          Rows{"file a.csv", "file b.csv", "module ebb", "module zebra", "program /usr/bin/make-tides"});
}

TEST_CASE("each kind has a word of its own") {
    std::set<std::string_view> words;
    for (int i = 0; i <= static_cast<int>(FindingKind::written_file); ++i)
        CHECK(words.insert(word_of(static_cast<FindingKind>(i))).second);
    CHECK(words.size() == 13);
    CHECK(word_of(FindingKind::blank_window) == "blank-window");
    CHECK(word_of(FindingKind::missing_module) == "missing-module");
    CHECK(word_of(FindingKind::written_file) == "written-file");
    CHECK(word_of(BarKind::import) == "import");
    CHECK(word_of(BarKind::run) == "run");
    CHECK(word_of(SeenKind::written) == "written");
}
