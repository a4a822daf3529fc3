#pragma once

#include "drawing/drawing.h"

#include <cstddef>
#include <set>
#include <string>
#include <utility>
#include <vector>

namespace omnistasis::report {

/// How boxes of one sort are drawn, and what they are. Colours remain apart for people who see fewer of them;
/// dark text on light ground and the reverse.
struct BoxLook {
    const char* fill;
    const char* line;
    const char* text;
    std::string meaning;
    bool dashed = false;
};

/// A graph as boxes in columns with arrows between them.
struct GraphFigure {
    struct Box {
        std::string label;
        std::string hint; ///< shown where the pointer rests on the box
        std::size_t look = 0;
        bool marked = false; ///< drawn with a thick line
    };
    std::string title;
    std::vector<BoxLook> looks; ///< the legend names those that boxes have
    std::vector<Box> boxes;
    std::set<std::pair<std::size_t, std::size_t>> edges;  ///< from, to
    std::set<std::pair<std::size_t, std::size_t>> cycles; ///< of these, edges of a cycle
    std::set<std::pair<std::size_t, std::size_t>> marked; ///< edges that are drawn thick, in a colour
    bool keeps_all_edges = false; ///< else edges that follow from a longer way are left out
};

/// As an SVG document.
Result<std::string> graph_figure(const GraphFigure& figure, const Drawing& drawing);

} // namespace omnistasis::report
