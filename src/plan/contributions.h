#pragma once

#include "trace/graph.h"

#include <cstdint>
#include <string>
#include <vector>

namespace omnistasis::plan {

/// A top-level module or package, and what the output would be without it.
struct Contribution {
    std::string name;
    std::uint64_t alone = 0; ///< bytes of its own files, before compression
    std::uint64_t saves =
        0; ///< bytes of all that nothing else needs, its own files included; of an own part the same as alone
    bool needed = false; ///< the application can't do without it
    bool own = false;    ///< it is the application's own
};

/// The `most` contributions that weigh the most, heaviest first. Sizes are those of the files on this
/// machine; of a module's, the source's.
std::vector<Contribution> largest_contributions(const trace::Graph& graph, std::size_t most);

} // namespace omnistasis::plan
