#pragma once

#include "drawing/drawing.h"
#include "report/inspection.h"

#include <set>
#include <string>
#include <vector>

namespace omnistasis::report {

/// Which native files need which: of one file, of a folder, or of an output.
struct LibraryGraph {
    enum class Side {
        start,   ///< what nothing else needs: programs, extension modules
        shipped, ///< a library that is there, and no system's own
        host,    ///< a library that every system has
        missing, ///< a library that is not found
    };
    struct Node {
        std::string name;
        Side side = Side::shipped;
        std::size_t files = 1; ///< that the node stands for
    };
    std::vector<Node> nodes;
    std::set<std::pair<std::size_t, std::size_t>> edges; ///< from, to
};

/// Files of one folder that nothing needs are one node.
LibraryGraph library_graph(const std::vector<Inspection>& inspections, const native::HostLibraries& host);

/// The figure as an SVG document. Lines that follow from others are left out.
Result<std::string> library_figure(const LibraryGraph& graph, const std::string& title,
                                   const Drawing& drawing);

} // namespace omnistasis::report
