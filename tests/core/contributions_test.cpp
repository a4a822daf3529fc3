// What each part weighs, alone and with all that only it needs.
#include "folder.h"
#include "plan/contributions.h"

using namespace omnistasis;
using namespace omnistasis::trace;
using omnistasis::test::Folder;

namespace {

/// A graph by hand: modules with files of given sizes, and edges that every run takes or that it can do
/// without.
struct Made {
    Folder folder;
    Graph graph;

    UnitId add(const std::string& name, std::size_t size, bool own = false) {
        Unit unit;
        unit.kind = UnitKind::code;
        unit.name = name;
        unit.file = folder.write(name + ".py", std::string(size, '#'));
        unit.own = own;
        graph.units.push_back(unit);
        return static_cast<UnitId>(graph.units.size() - 1);
    }
    void edge(UnitId from, UnitId to, bool optional = false) {
        Edge edge;
        edge.from = from;
        edge.to = to;
        edge.reason.optional = optional;
        graph.edges.push_back(edge);
    }
    const plan::Contribution& of(const std::vector<plan::Contribution>& list, const std::string& name) {
        for (const plan::Contribution& one : list)
            if (one.name == name) return one;
        FAIL(name << " is not there");
        return list.front();
    }
};

} // namespace

TEST_CASE("a part saves what nothing else needs, and what is needed by others stays") {
    Made made;
    UnitId main = made.add("tideboard", 10, true);
    UnitId charts = made.add("charts", 100), lines = made.add("charts.lines", 200);
    UnitId paint = made.add("paint", 1000), shared = made.add("shared", 5000), tides = made.add("tides", 1);
    made.graph.roots = {main};
    made.edge(main, charts, true);
    made.edge(charts, lines);
    made.edge(lines, paint);
    made.edge(paint, shared);
    made.edge(main, tides);
    made.edge(tides, shared);
    auto list = plan::largest_contributions(made.graph, 10);
    REQUIRE(list.size() == 5);
    // The two modules of one package are one part.
    CHECK(made.of(list, "charts").alone == 300);
    CHECK(made.of(list, "charts").saves == 1300);
    CHECK_FALSE(made.of(list, "charts").needed);
    CHECK(made.of(list, "paint").saves == 1000);
    CHECK(made.of(list, "shared").saves == 5000);
    CHECK(made.of(list, "shared").needed);
    CHECK(made.of(list, "tides").needed);
    CHECK(made.of(list, "tides").saves == 1);
    CHECK(made.of(list, "tideboard").own);
    CHECK(made.of(list, "tideboard").saves == 10);
    // The heaviest come first, and no more than were asked for.
    CHECK(list.front().name == "shared");
    auto two = plan::largest_contributions(made.graph, 2);
    REQUIRE(two.size() == 2);
    CHECK(two[1].name == "charts");
}

TEST_CASE("circles, parts by distribution, and the start itself") {
    Made made;
    UnitId main = made.add("__main__", 10, true);
    UnitId one = made.add("one", 100), other = made.add("other", 200);
    made.graph.roots = {main};
    made.graph.units[one].part = made.graph.units[other].part = "moorings";
    made.edge(main, one, true);
    made.edge(one, other);
    made.edge(other, one);
    auto list = plan::largest_contributions(made.graph, 10);
    REQUIRE(list.size() == 1);
    CHECK(list[0].name == "moorings");
    CHECK(list[0].alone == 300);
    CHECK(list[0].saves == 300);
}
