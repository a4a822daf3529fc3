#pragma once

#include "trace/graph.h"

#include <string>
#include <vector>

namespace omnistasis::trace {

/// A chain of reasons: the edges from a root to a unit, in order. Empty for a root itself.
using Chain = std::vector<Edge>;

/// Shortest chains to `unit`, at most `most`, each over another last edge; chains whose steps all must happen
/// come before those with an optional one.
std::vector<Chain> chains_to(const Graph& graph, UnitId unit, std::size_t most);

/// Units that `name` may mean: the exact name, else a file name or place, else all that hold it as a part.
std::vector<UnitId> units_named(const Graph& graph, const std::string& name);

} // namespace omnistasis::trace
