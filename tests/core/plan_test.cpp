// Where the files of the app tree come from and what happens to them.
#include "plan/plan.h"

#include <algorithm>
#include <catch2/catch.hpp>

using namespace omnistasis;
using trace::UnitKind;

namespace {

trace::Unit unit(UnitKind kind, const std::string& place) {
    return {kind, place, "/from/" + place, place, false, false};
}

const plan::PlannedFile& at(const plan::Plan& plan, const std::string& place) {
    auto found = std::ranges::find(plan.files, place, &plan::PlannedFile::place);
    REQUIRE(found != plan.files.end());
    return *found;
}

} // namespace

TEST_CASE("native files look where the libraries that they need are, and nowhere else") {
    trace::Graph graph;
    graph.units = {
        unit(UnitKind::program, "bin/runtime"),   unit(UnitKind::extension, "lib/python/deep/er/_bell.so"),
        unit(UnitKind::native, "lib/libtide.so"), unit(UnitKind::native, "lib/libquay.so"),
        unit(UnitKind::native, "own/libbuoy.so"), unit(UnitKind::data, "lib/tides.txt")};
    graph.edges = {{0, 2, {}}, {1, 2, {}}, {1, 4, {}}, {2, 3, {}}, {1, 5, {}}};
    plan::Plan plan = plan::make_plan(graph, native::HostLibraries({}));
    REQUIRE(plan.files.size() == 6);
    CHECK(std::ranges::is_sorted(plan.files, {}, &plan::PlannedFile::place));
    CHECK(at(plan, "bin/runtime").search_path == "$ORIGIN/../lib");
    CHECK(at(plan, "bin/runtime").executable);
    CHECK(at(plan, "lib/python/deep/er/_bell.so").search_path == "$ORIGIN/../../..:$ORIGIN/../../../../own");
    CHECK(at(plan, "lib/libtide.so").search_path == "$ORIGIN");
    CHECK(at(plan, "lib/libquay.so").search_path.empty());
    CHECK(at(plan, "lib/libquay.so").treatment == plan::Treatment::relink); // its own old path must not stay
    CHECK(at(plan, "lib/tides.txt").treatment == plan::Treatment::copy);
    CHECK_FALSE(at(plan, "lib/tides.txt").executable);
    CHECK(plan.files.at(0).unit == 0);
}

TEST_CASE("code is the runtime's to store, and what has no file gets none") {
    trace::Graph graph;
    graph.units = {unit(UnitKind::code, "lib/board.py"),
                   unit(UnitKind::folder, "lib/charts"),
                   unit(UnitKind::built_in, ""),
                   unit(UnitKind::script, "lib/board.js"),
                   unit(UnitKind::extension, "lib/_bell.so"),
                   unit(UnitKind::data, "lib/tides.txt")};
    plan::Plan plan = plan::make_plan(graph, native::HostLibraries({}));
    std::vector<std::string> files, code;
    for (const auto& file : plan.files) files.push_back(file.place);
    for (const auto& one : plan.code) code.push_back(one.place);
    CHECK(files == std::vector<std::string>{"lib/_bell.so", "lib/board.js", "lib/tides.txt"});
    CHECK(code == std::vector<std::string>{"lib/board.py", "lib/charts", "lib/board.js", "lib/_bell.so"});
}

TEST_CASE("a C library that is shipped stays as it is") {
    trace::Graph graph;
    graph.units = {unit(UnitKind::native, "lib/libc.so.6"), unit(UnitKind::native, "lib/libbell.so")};
    graph.edges = {{1, 0, {}}};
    native::HostLibraries host({});
    host.set_c_library({{{"libc.so.6", "the C library"}}, "ld-linux-x86-64.so.2", true});
    plan::Plan plan = plan::make_plan(graph, host);
    CHECK(at(plan, "lib/libc.so.6").treatment == plan::Treatment::copy);
    CHECK(at(plan, "lib/libbell.so").treatment == plan::Treatment::relink);
}

TEST_CASE("an archive goes along with the members that are needed, or whole where it is needed itself") {
    trace::Graph graph;
    auto member = [](UnitKind kind, const std::string& archive, const std::string& name) {
        trace::Unit one = unit(kind, archive);
        one.name = name;
        one.member = trace::ArchiveMember{name, 10};
        return one;
    };
    graph.units = {member(UnitKind::data, "lib/tides.jar", "port/Tide.class"),
                   member(UnitKind::code, "lib/tides.jar", "port/Board.class"), // the runtime compiles it
                   member(UnitKind::data, "lib/tides.jar", "charts/north.txt"),
                   member(UnitKind::data, "lib/whole.jar", "port/Buoy.class"),
                   unit(UnitKind::data, "lib/whole.jar")};
    plan::Plan plan = plan::make_plan(graph, native::HostLibraries({}));
    REQUIRE(plan.files.size() == 2);
    CHECK(at(plan, "lib/tides.jar").treatment == plan::Treatment::reduce);
    CHECK(at(plan, "lib/tides.jar").source == "/from/lib/tides.jar");
    CHECK(at(plan, "lib/tides.jar").members ==
          std::vector<std::string>{"charts/north.txt", "port/Tide.class"});
    CHECK(at(plan, "lib/whole.jar").treatment == plan::Treatment::copy);
    CHECK(plan.code.size() == 1);
    CHECK(trace::size_of(graph.units[0]) == 10);
}
