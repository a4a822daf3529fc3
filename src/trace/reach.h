#pragma once

#include "trace/graph.h"

#include <vector>

namespace omnistasis::trace {

/// What can be reached in a graph, asked for again and again over different edges: those that leave each unit
/// are sorted out once. The edges must outlive this.
class Reach {
  public:
    template <typename Edges>
    Reach(std::size_t unit_count, const std::vector<UnitId>& roots, const Edges& edges)
        : roots_(roots), leaving_(unit_count) {
        for (const Edge& edge : edges) leaving_[edge.from].push_back(&edge);
    }

    /// For each unit whether it is a root, or reached from one over edges that `passes` lets through.
    template <typename Passes> std::vector<bool> over(Passes passes) const {
        return over(passes, [](UnitId) { return true; });
    }

    /// The same from the roots that `starts` takes alone.
    template <typename Passes, typename Starts> std::vector<bool> over(Passes passes, Starts starts) const {
        std::vector<bool> reached(leaving_.size());
        std::vector<UnitId> open;
        auto visit = [&](UnitId id) {
            if (!reached[id]) open.push_back(id);
            reached[id] = true;
        };
        for (UnitId root : roots_)
            if (starts(root)) visit(root);
        while (!open.empty()) {
            UnitId id = open.back();
            open.pop_back();
            for (const Edge* edge : leaving_[id])
                if (passes(*edge)) visit(edge->to);
        }
        return reached;
    }

  private:
    const std::vector<UnitId>& roots_;
    std::vector<std::vector<const Edge*>> leaving_;
};

} // namespace omnistasis::trace
