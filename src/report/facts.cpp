#include "report/facts.h"

#include "runtimes/conventions.h"
#include "support/files.h"

#include <algorithm>
#include <map>
#include <unordered_map>

namespace omnistasis::report {

namespace {

constexpr const char* ours = "Omnistasis";

/// Shares of a whole, rounded so that together they are the whole.
class Shares {
  public:
    Shares(std::uint64_t whole, std::uint64_t parts) : whole_(whole), parts_(parts) {}
    std::uint64_t next(std::uint64_t part) {
        std::uint64_t before = at(used_);
        used_ = std::min(used_ + part, parts_);
        return at(used_) - before;
    }
    std::uint64_t rest() const { return whole_ - at(used_); }
    std::uint64_t rest_of_parts() const { return parts_ - used_; }

  private:
    std::uint64_t at(std::uint64_t used) const {
        // Products of two sizes have no room in 64 bits.
        if (used >= parts_) return whole_;
        return static_cast<std::uint64_t>(static_cast<long double>(whole_) * static_cast<long double>(used) /
                                          static_cast<long double>(parts_));
    }
    std::uint64_t whole_, parts_, used_ = 0;
};

/// Whose a file is that no part stands for: what the runtime or we put into the tree.
std::string owner_of_rest(const std::string& place, const std::string& runtime) {
    std::string_view name = std::string_view(place).substr(place.rfind('/') + 1);
    bool of_runtime =
        any_names(&Conventions::module_stores, name) || any_ends(&Conventions::compiled_endings, name);
    return of_runtime ? runtime : ours;
}

} // namespace

Result<void> take_output(Facts& facts, const payload::PayloadContents& contents, const std::string& output) {
    const payload::Description& description = contents.description();
    facts.output = output;
    facts.name = description.name;
    if (facts.version.empty()) facts.version = description.version;
    facts.mode = description.window ? "window" : "console";
    facts.form = contents.is_folder() ? "folder" : "file";
    facts.tree_size = contents.raw_size();
    facts.tree_files = contents.files().size();
    facts.state = description.state;
    auto parts = contents.parts();
    if (!parts) return pass_on(parts);
    std::string runtime;
    std::map<std::string, std::size_t> component_of;
    for (const payload::Part& part : *parts)
        if (part.kind == "runtime" || part.kind == "package" || part.kind == "system") {
            if (part.kind == "runtime") {
                runtime = part.name;
                facts.runtime = part.name + " " + part.version;
            }
            component_of.emplace(part.name, facts.components.size());
            facts.components.push_back(
                {part.name, part.version, part.kind, part.licence, "", part.url, "", "", ""});
        }
    std::unordered_map<std::string, std::vector<const payload::Part*>> by_place;
    for (const payload::Part& part : *parts)
        if (!part.place.empty()) by_place[part.place].push_back(&part);

    std::vector<std::uint64_t> sizes = contents.stored_sizes();
    std::vector<bool> counted(sizes.size());
    std::uint64_t sum = 0;
    for (const payload::StoredFile& file : contents.files()) {
        // In a file equal contents are stored once; as files each is there.
        std::uint64_t stored = file.content < sizes.size() ? sizes[file.content] : 0;
        if (!contents.is_folder() && counted[file.content]) stored = 0;
        counted[file.content] = true;
        sum += stored;
        Shares shares(stored, file.size);
        auto inside = by_place.find(file.place);
        if (inside != by_place.end())
            for (const payload::Part* part : inside->second)
                facts.pieces.push_back({part->name,
                                        part->kind,
                                        part->owner,
                                        file.place,
                                        part->inside,
                                        shares.next(part->inside),
                                        {}});
        bool only = inside == by_place.end();
        if (only || shares.rest() > 0)
            facts.pieces.push_back(
                {only ? file.place : "index of " + fs::path(file.place).filename().string(),
                 "file",
                 owner_of_rest(file.place, runtime),
                 file.place,
                 shares.rest_of_parts(),
                 shares.rest(),
                 {}});
    }
    std::uint64_t launcher = contents.launcher_size();
    facts.output_size = contents.bytes().size() + (contents.is_folder() ? sum : 0);
    std::uint64_t blocks = contents.is_folder() ? 0 : sum;
    facts.pieces.push_back({"launcher", "launcher", ours, "", launcher, launcher, {}});
    std::uint64_t rest = contents.bytes().size() - launcher - blocks;
    facts.pieces.push_back({"index and list of parts", "index", ours, "", rest, rest, {}});

    component_of.emplace(ours, facts.components.size());
    if (facts.components.size() < component_of.size())
        facts.components.push_back({ours, "", "launcher", "Apache-2.0", "", "", "", "", ""});
    for (const Piece& piece : facts.pieces) {
        auto component = component_of.find(piece.owner);
        if (component == component_of.end()) continue;
        ComponentFacts& one = facts.components[component->second];
        one.raw += piece.raw;
        one.stored += piece.stored;
        ++one.pieces;
    }
    return {};
}

void take_graph(Facts& facts, trace::Graph graph) {
    facts.graph = std::move(graph);
    bool built = !facts.output.empty();
    for (const trace::Unit& unit : facts.graph.units)
        if (!unit.file.empty() && !unit.place.empty()) facts.places.emplace(unit.file, unit.place);
    std::unordered_map<std::string, trace::UnitId> by_name;
    for (trace::UnitId id = 0; id < facts.graph.units.size(); ++id)
        by_name.emplace(facts.graph.units[id].name, id);
    if (built) {
        for (Piece& piece : facts.pieces)
            if (auto unit = by_name.find(piece.name); unit != by_name.end() && piece.kind != "file")
                piece.unit = unit->second;
        return;
    }
    for (trace::UnitId id = 0; id < facts.graph.units.size(); ++id) {
        const trace::Unit& unit = facts.graph.units[id];
        if (unit.file.empty()) continue;
        std::string owner = facts.review && facts.review->components.of_unit[id] != review::Components::own
                                ? facts.review->components.all[facts.review->components.of_unit[id]].name
                                : std::string();
        facts.pieces.push_back({unit.name, std::string(trace::kind_name(unit.kind)), owner, unit.place,
                                trace::size_of(unit), 0, id});
    }
}

std::string shown(const Facts& facts, const std::string& path) {
    std::string inner =
        facts.project_folder.empty() ? std::string() : relative_to(path, facts.project_folder);
    if (!inner.empty()) return inner;
    auto place = facts.places.find(path);
    return place == facts.places.end() ? path : place->second;
}

} // namespace omnistasis::report
