#include "plan/contributions.h"

#include "support/files.h"
#include "trace/reach.h"

#include <algorithm>
#include <map>

namespace omnistasis::plan {

namespace {

using trace::UnitId;

class Weighing {
  public:
    explicit Weighing(const trace::Graph& graph)
        : graph_(graph), reach_(graph.units.size(), graph.roots, graph.edges) {
        for (const trace::Unit& unit : graph.units) {
            sizes_.push_back(trace::size_of(unit));
            std::string part = unit.part.empty() && trace::is_module(unit.kind)
                                   ? unit.name.substr(0, unit.name.find('.'))
                                   : unit.part;
            groups_.push_back(number_of_.try_emplace(std::move(part), number_of_.size()).first->second);
        }
    }

    std::vector<Contribution> run(std::size_t most) {
        std::vector<Contribution> found(number_of_.size());
        std::uint64_t all = weight(reach_.over([](const trace::Edge&) { return true; }));
        std::vector<bool> needed = reach_.over([](const trace::Edge& edge) { return !edge.reason.optional; });
        for (UnitId id = 0; id < sizes_.size(); ++id) {
            Contribution& one = found[groups_[id]];
            one.alone += sizes_[id];
            one.needed |= needed[id];
            one.own |= graph_.units[id].own;
        }
        std::vector<Contribution> list;
        for (const auto& [name, group] : number_of_) {
            if (name.empty() || name == "__main__") continue;
            Contribution& one = found[group];
            one.name = name;
            // Without the application itself nothing at all would be needed: that says nothing.
            one.saves = one.own ? one.alone : all - weight_without(group);
            list.push_back(std::move(one));
        }
        std::ranges::stable_sort(list, std::greater(), &Contribution::saves);
        if (list.size() > most) list.resize(most);
        return list;
    }

  private:
    std::uint64_t weight_without(std::size_t group) const {
        auto stays = [&](UnitId id) { return groups_[id] != group; };
        return weight(reach_.over([&](const trace::Edge& edge) { return stays(edge.to); }, stays));
    }

    std::uint64_t weight(const std::vector<bool>& reached) const {
        std::uint64_t sum = 0;
        for (UnitId id = 0; id < reached.size(); ++id)
            if (reached[id]) sum += sizes_[id];
        return sum;
    }

    const trace::Graph& graph_;
    trace::Reach reach_;
    std::vector<std::uint64_t> sizes_;
    std::map<std::string, std::size_t> number_of_; ///< parts, by name; the empty one: none
    std::vector<std::size_t> groups_;              ///< the part of each unit
};

} // namespace

std::vector<Contribution> largest_contributions(const trace::Graph& graph, std::size_t most) {
    return Weighing(graph).run(most);
}

} // namespace omnistasis::plan
