#include "plan/contributions.h"

#include "support/files.h"

#include <algorithm>
#include <map>

namespace omnistasis::plan {

namespace {

using trace::UnitId;
using trace::UnitKind;

bool is_module(const trace::Unit& unit) {
    return unit.kind == UnitKind::code || unit.kind == UnitKind::extension || unit.kind == UnitKind::folder ||
           unit.kind == UnitKind::built_in;
}

class Weighing {
  public:
    explicit Weighing(const trace::Graph& graph) : graph_(graph), leaving_(graph.units.size()) {
        for (const trace::Edge& edge : graph.edges) leaving_[edge.from].push_back(&edge);
        for (const trace::Unit& unit : graph.units) {
            std::error_code failed;
            std::uint64_t size = unit.file.empty() ? 0 : fs::file_size(unit.file, failed);
            sizes_.push_back(failed ? 0 : size);
            groups_.push_back(is_module(unit) ? unit.name.substr(0, unit.name.find('.')) : "");
        }
    }

    std::vector<Contribution> run(std::size_t most) {
        std::map<std::string, Contribution> found;
        std::uint64_t all = weight(reach([](UnitId) { return true; }, true));
        std::vector<bool> needed = reach([](UnitId) { return true; }, false);
        for (UnitId id = 0; id < sizes_.size(); ++id) {
            if (groups_[id].empty() || groups_[id] == "__main__") continue;
            Contribution& one = found[groups_[id]];
            one.name = groups_[id];
            one.alone += sizes_[id];
            one.needed |= needed[id];
            one.own |= graph_.units[id].own;
        }
        std::vector<Contribution> list;
        for (auto& [name, one] : found) {
            // Without the application itself nothing at all would be needed: that says nothing.
            one.saves = one.own
                            ? one.alone
                            : all - weight(reach([&](UnitId id) { return groups_[id] != one.name; }, true));
            list.push_back(std::move(one));
        }
        std::ranges::stable_sort(list, std::greater(), &Contribution::saves);
        if (list.size() > most) list.resize(most);
        return list;
    }

  private:
    /// What is reached from the roots over units that `passes` lets through.
    template <typename Passes> std::vector<bool> reach(Passes passes, bool with_optional) const {
        std::vector<bool> reached(graph_.units.size());
        std::vector<UnitId> open;
        auto visit = [&](UnitId id) {
            if (reached[id] || !passes(id)) return;
            reached[id] = true;
            open.push_back(id);
        };
        for (UnitId root : graph_.roots) visit(root);
        while (!open.empty()) {
            UnitId id = open.back();
            open.pop_back();
            for (const trace::Edge* edge : leaving_[id])
                if (with_optional || !edge->reason.optional) visit(edge->to);
        }
        return reached;
    }

    std::uint64_t weight(const std::vector<bool>& reached) const {
        std::uint64_t sum = 0;
        for (UnitId id = 0; id < reached.size(); ++id)
            if (reached[id]) sum += sizes_[id];
        return sum;
    }

    const trace::Graph& graph_;
    std::vector<std::vector<const trace::Edge*>> leaving_;
    std::vector<std::uint64_t> sizes_;
    std::vector<std::string> groups_; ///< of modules their top-level name; of other units none
};

} // namespace

std::vector<Contribution> largest_contributions(const trace::Graph& graph, std::size_t most) {
    return Weighing(graph).run(most);
}

} // namespace omnistasis::plan
