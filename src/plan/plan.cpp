#include "plan/plan.h"

#include <algorithm>
#include <map>
#include <set>

namespace omnistasis::plan {

namespace {

using trace::UnitKind;

/// The loader's name for the way from the folder of one place to that of another.
std::string way(const std::string& from_place, const std::string& to_place) {
    std::filesystem::path from = std::filesystem::path(from_place).parent_path();
    std::filesystem::path to = std::filesystem::path(to_place).parent_path();
    std::string relative = to.lexically_relative(from).string();
    return relative == "." || relative.empty() ? "$ORIGIN" : "$ORIGIN/" + relative;
}

} // namespace

Plan make_plan(const trace::Graph& graph, const native::HostLibraries& host) {
    std::map<trace::UnitId, std::set<std::string>> ways;
    std::map<trace::UnitId, std::map<std::string, std::string>> libraries;
    for (const trace::Edge& edge : graph.edges) {
        const trace::Unit& from = graph.units[edge.from];
        const trace::Unit& to = graph.units[edge.to];
        if (!trace::is_native(from.kind) || to.kind != UnitKind::native) continue;
        ways[edge.from].insert(way(from.place, to.place));
        for (const std::string& name : {to.name, to.place})
            libraries[edge.from].emplace(std::filesystem::path(name).filename().string(), to.place);
    }
    Plan plan;
    using Archive = std::pair<std::string, std::string>; // place and file
    std::map<Archive, std::vector<trace::UnitId>> members;
    std::set<Archive> whole;
    for (trace::UnitId id = 0; id < graph.units.size(); ++id) {
        const trace::Unit& unit = graph.units[id];
        if (unit.kind == UnitKind::code || unit.kind == UnitKind::extension ||
            unit.kind == UnitKind::folder || unit.kind == UnitKind::script)
            plan.code.push_back(unit);
        if (unit.kind == UnitKind::code || unit.kind == UnitKind::folder || unit.kind == UnitKind::built_in)
            continue;
        if (unit.member) {
            members[{unit.place, unit.file}].push_back(id);
            continue;
        }
        whole.emplace(unit.place, unit.file);
        PlannedFile file{.place = unit.place,
                         .source = unit.file,
                         .executable = unit.kind == UnitKind::program,
                         .search_path = {},
                         .unit = id};
        bool of_c_library = host.is_carried_c_library(std::filesystem::path(unit.place).filename().string());
        if (trace::is_native(unit.kind) && !of_c_library) {
            file.treatment = Treatment::relink;
            for (const std::string& one : ways[id])
                file.search_path += (file.search_path.empty() ? "" : ":") + one;
            file.libraries = libraries[id];
        }
        plan.files.push_back(std::move(file));
    }
    for (const auto& [archive, ids] : members) {
        if (whole.contains(archive)) continue;
        PlannedFile file{.place = archive.first,
                         .source = archive.second,
                         .treatment = Treatment::reduce,
                         .search_path = {},
                         .unit = ids.front()};
        for (trace::UnitId id : ids) file.members.push_back(graph.units[id].member->name);
        std::ranges::sort(file.members);
        plan.files.push_back(std::move(file));
    }
    std::ranges::stable_sort(plan.files, {}, &PlannedFile::place);
    return plan;
}

} // namespace omnistasis::plan
