#pragma once

#include "trace/graph.h"

#include <string>
#include <vector>

namespace omnistasis::trace {

/// A chain of reasons: the edges from a root to a unit, in order. Empty for a root itself.
using Chain = std::vector<Edge>;

/// The best reason of each unit: the last edge of the shortest chain to it, where chains whose steps all must
/// happen come before those with an optional one. The graph has to stay.
class Reasons {
  public:
    explicit Reasons(const Graph& graph);
    /// Null for roots, and for what nothing leads to.
    const Edge* last_edge(UnitId unit) const { return by_[unit]; }
    bool is_reached(UnitId unit) const;
    /// How long the best chain is that ends with this edge.
    std::size_t cost_over(const Edge& edge) const;
    Chain chain_over(const Edge& last) const;

  private:
    std::vector<std::size_t> cost_;
    std::vector<const Edge*> by_;
};

/// Shortest chains to `unit`, at most `most`, each over another last edge; chains whose steps all must happen
/// come before those with an optional one.
std::vector<Chain> chains_to(const Graph& graph, UnitId unit, std::size_t most);

/// Units that `name` may mean: the exact name, else a file, a place, or the end of a place.
std::vector<UnitId> units_named(const Graph& graph, const std::string& name);

} // namespace omnistasis::trace
