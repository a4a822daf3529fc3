#include "trace/why.h"

#include <algorithm>
#include <deque>
#include <limits>

namespace omnistasis::trace {

namespace {

constexpr std::size_t unreached = std::numeric_limits<std::size_t>::max();
constexpr std::size_t optional_cost = 1000;

} // namespace

bool Reasons::is_reached(UnitId unit) const { return cost_[unit] != unreached; }

Reasons::Reasons(const Graph& graph)
    : cost_(graph.units.size(), unreached), by_(graph.units.size(), nullptr) {
    // Breadth first from the roots; an optional step counts for many, so that certain ways come first.
    std::vector<std::vector<const Edge*>> out(graph.units.size());
    for (const Edge& edge : graph.edges) out[edge.from].push_back(&edge);
    std::deque<UnitId> open;
    for (UnitId root : graph.roots) {
        cost_[root] = 0;
        open.push_back(root);
    }
    while (!open.empty()) {
        UnitId from = open.front();
        open.pop_front();
        for (const Edge* edge : out[from]) {
            std::size_t next = cost_over(*edge);
            if (next >= cost_[edge->to]) continue;
            cost_[edge->to] = next;
            open.push_back(edge->to);
        }
    }
    // Of ways that are as good, the first in the graph's order.
    for (const Edge& edge : graph.edges)
        if (cost_[edge.to] > 0 && by_[edge.to] == nullptr && edge.from != edge.to &&
            cost_[edge.from] != unreached && cost_over(edge) == cost_[edge.to])
            by_[edge.to] = &edge;
}

std::size_t Reasons::cost_over(const Edge& edge) const {
    return cost_[edge.from] + (edge.reason.optional ? optional_cost : 1);
}

Chain Reasons::chain_over(const Edge& last) const {
    Chain chain{last};
    for (UnitId at = last.from; by_[at] != nullptr && chain.size() <= by_.size(); at = by_[at]->from)
        chain.push_back(*by_[at]);
    std::ranges::reverse(chain);
    return chain;
}

std::vector<Chain> chains_to(const Graph& graph, UnitId unit, std::size_t most) {
    Reasons reasons(graph);
    std::vector<Chain> chains;
    if (std::ranges::find(graph.roots, unit) != graph.roots.end()) chains.emplace_back();
    std::vector<std::pair<std::size_t, const Edge*>> last;
    for (const Edge& edge : graph.edges)
        if (edge.to == unit && edge.from != unit && reasons.is_reached(edge.from))
            last.emplace_back(reasons.cost_over(edge), &edge);
    std::ranges::stable_sort(last, {}, &std::pair<std::size_t, const Edge*>::first);
    std::vector<UnitId> seen;
    for (const auto& [total, edge] : last) {
        if (chains.size() >= most) break;
        if (std::ranges::find(seen, edge->from) != seen.end()) continue;
        seen.push_back(edge->from);
        Chain chain = reasons.chain_over(*edge);
        // A way that comes through the unit itself says nothing new.
        if (std::ranges::none_of(chain.begin(), chain.end() - 1,
                                 [&](const Edge& e) { return e.to == unit || e.from == unit; }))
            chains.push_back(std::move(chain));
    }
    return chains;
}

std::vector<UnitId> units_named(const Graph& graph, const std::string& name) {
    auto matching = [&](auto&& fits) {
        std::vector<UnitId> found;
        for (UnitId id = 0; id < graph.units.size(); ++id)
            if (fits(graph.units[id])) found.push_back(id);
        return found;
    };
    auto found = matching([&](const Unit& unit) { return unit.name == name; });
    if (found.empty())
        found = matching([&](const Unit& unit) {
            return unit.file == name || unit.place == name || unit.place.ends_with("/" + name);
        });
    return found;
}

} // namespace omnistasis::trace
