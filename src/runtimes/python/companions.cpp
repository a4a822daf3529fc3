// What goes along with a distribution once one of its modules is needed.
//
// People lose what nothing names: a data file, a module that is imported by a computed name, the metadata
// that a package asks for of itself. Small distributions go along whole for that reason. Modules that come
// only for that reason are *companions*: their own imports are followed inside the distribution, the standard
// library, what the distribution requires and what the application uses anyway; an integration with some
// large package does not bring that package in. A companion that something imports after all becomes an
// ordinary module.
#include "runtimes/python/companions.h"

#include "native/library_weight.h"
#include "project/own_files.h"
#include "runtimes/python/package_data.h"
#include "support/system_packages.h"

#include <algorithm>

namespace omnistasis::python {

namespace {

/// Of the modules of a distribution with more data than goes along whole, and of native files that nothing
/// reached; in bytes.
constexpr std::uint64_t code_bound = 3u << 20;
constexpr std::uint64_t unreached_native_bound = 10u << 20;

} // namespace

bool Companions::is_companion(const Unit& unit) const {
    return trace::is_module(unit.kind) && carried_.companions.contains(unit.name);
}

/// Whether a companion of a distribution may bring a unit in.
bool Companions::may_follow(const Unit& companion, const Distribution* of, const Unit& unit) {
    if (!trace::is_module(unit.kind) || unit.own || unit.of_runtime || unit.kind == UnitKind::built_in)
        return top_of(unit.name) != "test";
    // An installed application is what its users installed: all that its modules import counts.
    if (unit.file.empty() || (ground_.project.is_installed && ground_.is_of_application(companion.file)))
        return true;
    const Distribution* owner = ground_.installed.owner_of(unit.file);
    if (owner == nullptr)
        return !ground_.is_in_packages(unit.file) || top_of(unit.name) == top_of(companion.name);
    if (owner == of || carried_.reached.contains(owner->name)) return true;
    auto required = carried_.required.find(of == nullptr ? "" : of->name);
    return required != carried_.required.end() && required->second.contains(owner->name);
}

/// Whether a module is one that did not go along with the whole of its distribution: a test, for the most
/// part. What only companions ask for does not change that.
bool Companions::is_passed_over(const Distribution* of, const Unit& unit) {
    return of != nullptr && trace::is_module(unit.kind) && !unit.file.empty() &&
           !carried_.companions.contains(unit.name) && ground_.installed.owner_of(unit.file) == of;
}

/// Whether a module belongs to another distribution that would not go along whole, and is not there yet.
bool Companions::is_of_large(const Distribution* of, const Unit& unit) {
    const Distribution* owner = unit.file.empty() ? nullptr : ground_.installed.owner_of(unit.file);
    if (owner == nullptr || owner == of || carried_.reached.contains(owner->name)) return false;
    return ground_.installed.is_large(*owner);
}

/// Whether a companion, of the distribution `of`, may bring something in that it asks for. What it can do
/// without does not bring in more than a small distribution.
bool Companions::may_bring_in(const Unit& companion, const Distribution* of, const Need& need) {
    const Unit& unit = need.unit;
    bool native_stays =
        unit.kind == UnitKind::extension && of != nullptr && carried_.without_natives.contains(of->name);
    bool is_tool = trace::is_module(unit.kind) && ground_.is_development_tool(top_of(unit.name)) &&
                   !ground_.is_development_tool(top_of(companion.name));
    bool is_unasked = companion.own && !ground_.project.is_installed && !on_request(unit).empty();
    if (native_stays || is_tool || is_unasked || !may_follow(companion, of, unit)) return false;
    return !need.reason.optional || (!is_passed_over(of, unit) && !is_of_large(of, unit));
}

void Companions::restrain(const Unit& companion, Expansion& out) {
    const Distribution* of = ground_.installed.owner_of(companion.file);
    std::vector<Need> kept, withheld;
    for (Need& need : out.needs) {
        bool may = may_bring_in(companion, of, need);
        if (may) need.reason.optional = true;
        (may ? kept : withheld).push_back(std::move(need));
    }
    out.needs = std::move(kept);
    for (trace::Unanswered& one : out.unanswered) one.reason.optional = true;
    std::lock_guard lock(gathered_.mutex);
    // What an installed application has counts, whatever starts it.
    if (!ground_.project.is_installed || !companion.own) {
        auto& ends = carried_.ends[companion.name];
        ends.insert(ends.end(), out.loose_ends.begin(), out.loose_ends.end());
        out.loose_ends.clear();
    }
    auto& all = carried_.withheld[companion.name];
    all.insert(all.end(), std::make_move_iterator(withheld.begin()), std::make_move_iterator(withheld.end()));
}

void Companions::note_asked(const Unit& asking, const std::vector<Need>& needs) {
    for (const Need& need : needs) {
        bool companion = is_companion(need.unit);
        std::string group = asking.own || !need.reason.optional ? on_request(need.unit) : std::string();
        bool wanted = !group.empty() && group != on_request(asking);
        if (!companion && !wanted) continue;
        std::lock_guard lock(gathered_.mutex);
        if (companion) carried_.asked.insert(need.unit.name);
        if (wanted) carried_.wanted_groups.insert(group);
    }
}

void Companions::settle_companions(const UnitIds& ids, UnitNeeds& needs) {
    let_related_in(ids, needs);
    for (const std::string& name : carried_.asked) {
        carried_.companions.erase(name);
        std::ranges::move(carried_.ends[name], std::back_inserter(gathered_.ends));
        carried_.ends.erase(name);
        auto withheld = carried_.withheld.find(name);
        if (withheld == carried_.withheld.end()) continue;
        if (auto id = ids.find(name); id != ids.end())
            for (Need& need : withheld->second) needs.emplace_back(id->second, std::move(need));
        carried_.withheld.erase(withheld);
    }
    carried_.asked.clear();
    // What was withheld may belong to what came in another way since.
    for (auto& [name, withheld] : carried_.withheld) {
        auto id = ids.find(name);
        if (id == ids.end()) continue;
        const FoundModule& found = ground_.finder.find(name);
        const Distribution* of = ground_.installed.owner_of(found.file);
        Unit companion = ground_.unit_of(name, found);
        std::vector<Need> still;
        for (Need& need : withheld)
            if (may_bring_in(companion, of, need))
                needs.emplace_back(id->second, std::move(need));
            else
                still.push_back(std::move(need));
        withheld = std::move(still);
    }
}

/// The distributions of units that came since the last time, with the first of the units of each.
std::map<std::string, trace::UnitId> Companions::newly_reached(const std::vector<Unit>& units) {
    std::map<std::string, trace::UnitId> reached;
    for (trace::UnitId id = carried_.seen_units; id < units.size(); ++id) {
        const Unit& unit = units[id];
        if (unit.file.empty() || unit.own || unit.of_runtime || is_companion(unit)) continue;
        if (unit.kind == UnitKind::program ||
            (unit.kind == UnitKind::data && !ground_.is_in_packages(unit.file)))
            continue;
        const Distribution* owner = ground_.installed.owner_of(unit.file);
        if (owner == nullptr || unit.file.starts_with(owner->folder + "/") || unit.file == owner->folder)
            continue;
        auto [entry, is_new] = reached.try_emplace(owner->name, id);
        // Whatever the order of arrival: a module, and the one of the first name.
        const Unit& first = units[entry->second];
        bool better = trace::is_module(unit.kind) != trace::is_module(first.kind)
                          ? trace::is_module(unit.kind)
                          : unit.name < first.name;
        if (better) entry->second = id;
    }
    carried_.seen_units = units.size();
    return reached;
}

std::vector<std::string> Companions::requested_with(const Unit& unit) {
    if (unit.file.empty() || unit.of_runtime || ground_.on_request.empty()) return {};
    const Distribution* owner = ground_.installed.owner_of(unit.file);
    if (owner == nullptr) return {};
    auto [known, is_new] = requested_with_.try_emplace(owner->name);
    if (is_new)
        for (const Distribution* required : ground_.required_by(*owner, {}))
            for (const std::string& top : top_level_modules(*required))
                if (ground_.on_request.contains(top)) known->second.push_back(top);
    return known->second;
}

void Companions::settle_distributions(const std::vector<Unit>& units, UnitNeeds& needs) {
    std::unordered_set<std::string_view> files;
    for (const auto& [name, id] : newly_reached(units)) {
        if (!carried_.reached.insert(name).second) continue;
        const Distribution* distribution = ground_.installed.named(name);
        if (distribution == nullptr || ground_.excluded(units[id].name)) continue;
        if (files.empty())
            for (const Unit& unit : units) files.insert(unit.file);
        Expansion out;
        carry_distribution(*distribution, units[id].file, files, out);
        for (Need& need : out.needs) needs.emplace_back(id, std::move(need));
    }
}

void Companions::carry_distribution(const Distribution& distribution, const std::string& reached_by,
                                    const std::unordered_set<std::string_view>& files, Expansion& out) {
    metadata_.want_metadata(distribution, {"is described by", reached_by, 0, true}, out);
    std::set<std::string>& required = carried_.required[distribution.name];
    for (const Distribution* one : ground_.required_by(distribution, {})) {
        required.insert(one->name);
        Expansion of_required;
        metadata_.want_metadata(*one, {"requires the distribution of", reached_by, 0, true}, of_required);
        // Entry points of modules that are not there would stop whoever loads them all.
        for (Need& need : of_required.needs)
            if (!need.unit.file.ends_with("/entry_points.txt")) out.needs.push_back(std::move(need));
    }
    if (ground_.project.whole_packages || &distribution == ground_.application)
        carry_whole(distribution, reached_by, files, out);
}

/// Whether a module is one of a family that lore takes one by one, each with what it belongs to.
bool Companions::comes_with_others(const std::string& name) const {
    std::string top = top_of(name);
    auto first = ground_.lore.lower_bound(top);
    for (auto lore_entry = first; lore_entry != ground_.lore.end() && lore_entry->first.starts_with(top);
         ++lore_entry)
        for (const std::string& family : lore_entry->second.leave_out)
            if (family.ends_with('.') && name.starts_with(family)) return true;
    return false;
}

/// All modules and data of a distribution, where it is small or the application itself.
void Companions::carry_whole(const Distribution& distribution, const std::string& reached_by,
                             const std::unordered_set<std::string_view>& files, Expansion& out) {
    struct Part {
        std::string file, inner;
        bool is_native = false;
    };
    std::vector<Part> parts;
    std::uint64_t size = 0, native_size = 0, code_size = 0;
    for (const DistributionFile& file : files_of(distribution)) {
        std::string inner = relative_to(file.path, distribution.root);
        bool in_root = !inner.empty();
        if (!in_root) {
            // What lies elsewhere below the prefix keeps its place there: share/..., etc/...
            inner = relative_to(file.path, ground_.facts.prefix);
            if (!inner.starts_with("share/") && !inner.starts_with("etc/")) continue;
            if (inner.starts_with("share/man/") || inner.starts_with("share/doc/")) continue;
        }
        if (is_passed_file(inner)) continue;
        Unit unit = file_unit(kind_by_name(inner), file.path, inner);
        ground_.settle_kind(unit);
        bool native = unit.kind == UnitKind::native;
        (native ? native_size : size) += native && files.contains(file.path) ? 0 : file.size;
        if (inner.ends_with(".py")) code_size += file.size;
        parts.push_back({file.path, in_root ? inner : "\n" + inner, native});
    }
    bool is_application = &distribution == ground_.application;
    bool fits = size <= (is_application ? most_own_bytes : most_package_bytes);
    // Of one with much data the code alone may be small: its data names modules too (pickles, tables).
    if (!fits && code_size > code_bound) return;
    std::vector<std::string> natives, reached_natives{ground_.facts.program};
    for (const Part& part : parts)
        if (part.is_native) (files.contains(part.file) ? reached_natives : natives).push_back(part.file);
    if (native_size <= unreached_native_bound && !is_application)
        native_size += native::weight_of_new_libraries(
            natives, reached_natives, [this](const std::string& name, const std::string& asking) {
                return ground_.is_for_host() ? native::library_of_this_machine(name, asking)
                                             : ground_.library_of_packages(base_name(name), asking);
            });
    if (native_size > unreached_native_bound && !is_application)
        carried_.without_natives.insert(distribution.name);
    Reason whole{"goes along with its whole distribution, with", reached_by, 0, true};
    for (const Part& part : parts) {
        if (part.is_native && native_size > unreached_native_bound && !is_application) continue;
        if (files.contains(part.file) || !is_there(part.file)) continue;
        if (!fits && !part.file.ends_with(".py")) continue;
        if (part.inner.front() == '\n') {
            out.needs.push_back({file_unit(UnitKind::data, part.file, part.inner.substr(1)), whole});
            continue;
        }
        std::string name = module_name_of(part.inner);
        const FoundModule& found = ground_.finder.find(name);
        if (!name.empty() && found.file == part.file) {
            if (ground_.excluded(name) || name.ends_with("__main__") || comes_with_others(name)) continue;
            Unit unit = ground_.unit_of(name, found);
            carried_.companions.insert(name);
            out.needs.push_back({std::move(unit), whole});
            continue;
        }
        if (ground_.excluded(top_of(part.inner.substr(0, part.inner.find('/'))))) continue;
        out.needs.push_back({file_unit(part.is_native ? UnitKind::native : UnitKind::data, part.file,
                                       ground_.places.of(part.file, distribution.root)),
                             whole});
    }
}

// What the packages of a system have to do with each other. A system has hundreds for the sake of others;
// that one of them knows how to work with another does not mean that the application needs it. What a package
// *might* import therefore counts where its metadata or the system's says that the two belong together, where
// importing it was seen to load the other, or where the other comes for reasons of its own.

void Companions::hold_back_unrelated(const Unit& asking, Expansion& out) {
    auto of_system = [this](const Unit& unit) -> const Distribution* {
        if (unit.own || unit.of_runtime || !unit.file.starts_with(system_packages_folder)) return nullptr;
        return ground_.is_of_application(unit.file) ? nullptr : ground_.installed.owner_of(unit.file);
    };
    const Distribution* of = of_system(asking);
    if (of == nullptr) return;
    std::vector<Need> kept, held;
    for (Need& need : out.needs) {
        const Distribution* other = need.reason.optional && trace::is_module(need.unit.kind) &&
                                            top_of(need.unit.name) != top_of(asking.name)
                                        ? of_system(need.unit)
                                        : nullptr;
        bool may = other == nullptr || other == of || ground_.installed.are_related(*of, *other);
        (may ? kept : held).push_back(std::move(need));
    }
    out.needs = std::move(kept);
    if (held.empty()) return;
    std::lock_guard lock(gathered_.mutex);
    std::ranges::move(held, std::back_inserter(held_back_[asking.name]));
}

/// What was held back of distributions that came for other reasons since.
void Companions::let_related_in(const UnitIds& ids, UnitNeeds& needs) {
    for (auto& [name, held] : held_back_) {
        auto id = ids.find(name);
        if (id == ids.end()) continue;
        std::erase_if(held, [&](Need& need) {
            const Distribution* owner = ground_.installed.owner_of(need.unit.file);
            bool is_there = owner != nullptr && carried_.reached.contains(owner->name);
            if (is_there) needs.emplace_back(id->second, std::move(need));
            return is_there;
        });
    }
}

std::vector<std::string> Companions::not_carried() {
    // All that a system has beside an application is nobody's business.
    bool in_environment = ground_.application != nullptr && ground_.facts.prefix != ground_.facts.base_prefix;
    std::vector<std::string> names;
    if (!in_environment) return names;
    for (const Distribution& distribution : ground_.installed.all()) {
        bool is_tool = std::ranges::all_of(top_level_modules(distribution), [this](const std::string& top) {
            return ground_.is_development_tool(top);
        });
        if (&distribution != ground_.application && !is_tool &&
            !carried_.reached.contains(distribution.name) &&
            distribution.root.starts_with(ground_.facts.prefix + "/"))
            names.push_back(distribution.name);
    }
    std::ranges::sort(names);
    return names;
}

std::vector<trace::LeftOut> Companions::left_out() {
    std::map<std::string, trace::LeftOut> first;
    for (const auto& [name, held] : held_back_)
        for (const Need& need : held) {
            trace::LeftOut one{top_of(need.unit.name), need.reason.file, need.reason.line};
            auto [known, is_new] = first.try_emplace(one.name, one);
            if (!is_new && one < known->second) known->second = one;
        }
    std::vector<trace::LeftOut> all;
    for (auto& [name, one] : first) all.push_back(std::move(one));
    return all;
}

} // namespace omnistasis::python
