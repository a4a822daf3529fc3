// Chains of reasons: which way to a unit is told, out of many.
#include "trace/why.h"

#include <catch2/catch.hpp>

using namespace omnistasis::trace;

namespace {

/// Units by their names' letters; edges as "ab", or "ab?" for one that the application can do without.
Graph made_graph(const std::string& names, const std::vector<std::string>& edges) {
    Graph graph;
    for (char name : names) {
        Unit unit{UnitKind::code, std::string(1, name), "/src/", "lib/", true, false};
        unit.file += unit.name + ".py";
        unit.place += unit.name + ".pyc";
        graph.units.push_back(unit);
    }
    std::uint32_t line = 0;
    for (const std::string& edge : edges)
        graph.edges.push_back({static_cast<UnitId>(names.find(edge[0])),
                               static_cast<UnitId>(names.find(edge[1])),
                               {"imports", "", ++line, edge.ends_with('?')}});
    graph.roots = {0};
    return graph;
}

/// The chains as the letters that they lead over.
std::vector<std::string> ways(const Graph& graph, char to, std::size_t most = 10) {
    std::vector<std::string> result;
    for (UnitId id = 0; id < graph.units.size(); ++id)
        if (graph.units[id].name[0] == to)
            for (const Chain& chain : chains_to(graph, id, most)) {
                std::string way = chain.empty() ? "" : graph.units[chain.front().from].name;
                for (const Edge& edge : chain) way += graph.units[edge.to].name;
                result.push_back(way);
            }
    return result;
}

using Ways = std::vector<std::string>;

} // namespace

TEST_CASE("shorter chains come first, and those that all must happen before those that need not") {
    Graph graph = made_graph("abcdex", {"ab", "bx", "ac", "cd", "dx", "ax?", "be", "ex?"});
    CHECK(ways(graph, 'x') == Ways{"abx", "acdx", "ax", "abex"});
    CHECK(ways(graph, 'x', 2) == Ways{"abx", "acdx"});
    CHECK(ways(graph, 'a') == Ways{""});
    // Over the same last unit there is one chain: the first reason that it has.
    graph.edges.push_back({1, 5, {"names", "", 99, false}});
    CHECK(ways(graph, 'x', 2) == Ways{"abx", "acdx"});
}

TEST_CASE("circles and what nothing leads to end no search") {
    Graph graph = made_graph("abcxyz", {"ab", "bc", "cb", "cx", "xb", "xx", "yz", "zy"});
    CHECK(ways(graph, 'x') == Ways{"abcx"});
    CHECK(ways(graph, 'b') == Ways{"ab"}); // the way back through x says nothing new
    CHECK(ways(graph, 'y').empty());
    Reasons reasons(graph);
    CHECK(reasons.last_edge(0) == nullptr);
    CHECK(reasons.last_edge(3)->from == 2);
    CHECK_FALSE(reasons.is_reached(4));
}

TEST_CASE("a unit is meant by its name, its file, its place, or the end of that") {
    Graph graph = made_graph("abc", {});
    graph.units[2].name = "lib/b.pyc";
    CHECK(units_named(graph, "b") == std::vector<UnitId>{1});
    CHECK(units_named(graph, "/src/b.py") == std::vector<UnitId>{1});
    CHECK(units_named(graph, "b.pyc") == std::vector<UnitId>{1});
    CHECK(units_named(graph, "lib/b.pyc") == std::vector<UnitId>{2}); // a name goes before a place
    CHECK(units_named(graph, ".pyc").empty());
}
