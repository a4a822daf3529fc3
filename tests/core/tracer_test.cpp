// The tracer on a made-up language: what is reached, what is absent, what is left out.
#include "folder.h"
#include "plan/contributions.h"
#include "silent_observer.h"
#include "trace/capabilities.h"
#include "trace/tracer.h"
#include "trace/why.h"

#include <algorithm>
#include <map>

using namespace omnistasis;
using namespace omnistasis::trace;

namespace {

/// A language with the core of the interface only. Units by name, with what they need: "name" in every run,
/// "name?" if it can.
class MadeUpRuntime : public Runtime {
  public:
    std::map<std::string, std::vector<std::string>> needs;
    std::map<std::string, std::string> files;
    std::string own = "main";

    std::string title() const override { return "Made Up 1"; }
    fs::path program() const override { return "/bin/true"; }
    Result<Expansion> roots() override {
        Expansion out;
        add("main", "", out);
        return out;
    }
    Expansion expand(const Unit& unit) override {
        Expansion out;
        for (const std::string& name : needs[unit.name]) add(name, unit.file, out);
        return out;
    }
    Result<std::vector<MadeFile>> make_files(const std::vector<Unit>&, unsigned, Observer&) override {
        return std::vector<MadeFile>();
    }
    Start start() const override { return {"bin/made-up", {"{tree}/app/main", "{arguments}"}}; }

  private:
    void add(std::string name, const std::string& from, Expansion& out) {
        bool optional = name.ends_with('?');
        if (optional) name.pop_back();
        Reason reason{"imports", from, 1, optional};
        if (name != "main" && !needs.contains(name)) {
            out.unanswered.push_back({name, reason, {}, {}});
            return;
        }
        Unit unit{UnitKind::code, name, files[name], "", name.starts_with(own)};
        out.needs.push_back({unit, reason});
    }
};

/// Units whose name begins with `group` come only on request.
class RuntimeWithGroup : public MadeUpRuntime, public OffersGroups {
  public:
    std::string group;

    std::string on_request(const Unit& unit) const override {
        return unit.name.starts_with(group) ? group : "";
    }
    std::vector<std::string> requested_with(const Unit&) override { return {}; }
    std::vector<LeftOut> left_out() override { return {}; }
};

Graph traced(MadeUpRuntime& runtime) {
    test::SilentObserver silent;
    Store none{fs::path()};
    auto graph = trace::trace(runtime, {}, native::HostLibraries({}), none, 2, silent);
    REQUIRE(graph);
    return *graph;
}

std::vector<std::string> names(const Graph& graph) {
    std::vector<std::string> found;
    for (const Unit& unit : graph.units) found.push_back(unit.name);
    return found;
}

using Names = std::vector<std::string>;

} // namespace

TEST_CASE("a missing module is a loose end only where every run needs it") {
    MadeUpRuntime runtime;
    runtime.needs = {{"main", {"tide", "plug?", "gone"}}, {"tide", {"lost?"}}, {"plug", {"nowhere"}}};
    Graph graph = traced(runtime);
    CHECK(names(graph) == Names{"main", "plug", "tide"});
    REQUIRE(graph.loose_ends.size() == 1);
    CHECK(graph.loose_ends[0].what == "gone is not found");
    Names absent;
    for (const Absent& one : graph.absent) absent.push_back(one.name);
    CHECK(absent == Names{"lost", "nowhere"});
}

TEST_CASE("the graph is the same whatever the order of work") {
    MadeUpRuntime runtime;
    for (int i = 0; i < 300; ++i)
        runtime.needs[fmt::format("m{}", i)] = {fmt::format("m{}", (i * 7 + 1) % 300),
                                                fmt::format("m{}?", (i * 11 + 3) % 300)};
    runtime.needs["main"] = {"m0"};
    Graph first = traced(runtime);
    for (int i = 0; i < 5; ++i) {
        Graph again = traced(runtime);
        CHECK(names(again) == names(first));
        CHECK(again.edges.size() == first.edges.size());
        bool same = std::ranges::equal(again.edges, first.edges, [](const Edge& left, const Edge& right) {
            return left.from == right.from && left.to == right.to &&
                   left.reason.optional == right.reason.optional;
        });
        CHECK(same);
    }
}

TEST_CASE("a group that only packages could use is left out with what only it needs") {
    RuntimeWithGroup runtime;
    runtime.group = "kit";
    runtime.needs = {{"main", {"lib"}},
                     {"lib", {"kit?", "base"}},
                     {"kit", {"kit.draw", "font"}},
                     {"kit.draw", {"base"}},
                     {"font", {}},
                     {"base", {}}};
    runtime.files["lib"] = "/lib.src";
    Graph graph = traced(runtime);
    CHECK(names(graph) == Names{"base", "lib", "main"});
    REQUIRE(graph.left_out.size() == 1);
    CHECK(graph.left_out[0].name == "kit");
    CHECK(graph.left_out[0].file == "/lib.src");
    for (const Edge& edge : graph.edges) CHECK((edge.from < 3 && edge.to < 3));
}

TEST_CASE("what can't run without a group that is left out brings nothing in") {
    RuntimeWithGroup runtime;
    runtime.group = "kit";
    runtime.needs = {{"main", {"lib"}},
                     {"lib", {"plots?", "base"}},
                     {"plots", {"plots.view", "font?"}},
                     {"plots.view", {"kit", "picture?"}},
                     {"kit", {}},
                     {"font", {}},
                     {"picture", {}},
                     {"base", {}}};
    CHECK(names(traced(runtime)) == Names{"base", "lib", "main", "plots"});
    // With the group it runs, and all of it is there.
    runtime.needs["main"].push_back("kit");
    CHECK(names(traced(runtime)) ==
          Names{"base", "font", "kit", "lib", "main", "picture", "plots", "plots.view"});
}

TEST_CASE("a group stays where the application wants it, or a package that can't do without") {
    RuntimeWithGroup runtime;
    runtime.group = "kit";
    runtime.needs = {{"main", {"lib", "kit.draw?"}}, {"lib", {"kit?"}}, {"kit", {}}, {"kit.draw", {"kit"}}};
    CHECK(names(traced(runtime)) == Names{"kit", "kit.draw", "lib", "main"});
    runtime.needs = {{"main", {"lib"}}, {"lib", {"kit"}}, {"kit", {}}};
    CHECK(traced(runtime).left_out.empty());
    // Needed by something that is itself optional: not wanted.
    runtime.needs = {{"main", {"lib"}}, {"lib", {"view?"}}, {"view", {"kit"}}, {"kit", {}}};
    CHECK(names(traced(runtime)) == Names{"lib", "main", "view"});
}

TEST_CASE("the shortest chain of reasons") {
    MadeUpRuntime runtime;
    runtime.needs = {{"main", {"a", "b"}}, {"a", {"c"}}, {"b", {"c?"}}, {"c", {}}};
    Graph graph = traced(runtime);
    auto found = units_named(graph, "c");
    REQUIRE(found.size() == 1);
    auto chains = chains_to(graph, found[0], 3);
    REQUIRE_FALSE(chains.empty());
    CHECK(chains[0].size() == 2);
    CHECK(graph.units[chains[0].front().from].name == "main");
}

TEST_CASE("what a part weighs, alone and with all that only it needs") {
    test::Folder folder;
    MadeUpRuntime runtime;
    runtime.needs = {
        {"main", {"small", "large?"}}, {"small", {"shared"}}, {"large", {"large.part", "shared"}},
        {"large.part", {"deep"}},      {"shared", {}},        {"deep", {}}};
    for (auto [name, size] : std::map<std::string, std::size_t>{{"main", 10},
                                                                {"small", 100},
                                                                {"large", 1000},
                                                                {"large.part", 2000},
                                                                {"shared", 5000},
                                                                {"deep", 400}})
        runtime.files[name] = folder.write(name, std::string(size, 'x'));
    auto parts = plan::largest_contributions(traced(runtime), 10);
    REQUIRE(parts.size() >= 4);
    CHECK(parts[0].name == "shared");
    CHECK(parts[0].saves == 5000);
    CHECK(parts[0].needed);
    CHECK(parts[1].name == "large");
    CHECK(parts[1].alone == 3000);
    CHECK(parts[1].saves == 3400);
    CHECK_FALSE(parts[1].needed);
    CHECK(plan::largest_contributions(traced(runtime), 1).size() == 1);
}
