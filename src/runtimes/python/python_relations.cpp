// What the packages of a system have to do with each other. A system has hundreds for the sake of others;
// that one of them knows how to work with another does not mean that the application needs it. What a package
// *might* import therefore counts where its metadata or the system's says that the two belong together, where
// importing it was seen to load the other, or where the other comes for reasons of its own.
#include "runtimes/python/python_runtime.h"

#include <algorithm>

namespace omnistasis::python {

/// Takes from what a package of the system asks for what it can do without and has nothing to do with.
void PythonRuntime::hold_back_unrelated(const Unit& asking, Expansion& out) {
    auto of_system = [this](const Unit& unit) -> const Distribution* {
        if (unit.own || unit.of_runtime || !unit.file.starts_with(system_packages_folder)) return nullptr;
        return is_of_application(unit.file) ? nullptr : installed_.owner_of(unit.file);
    };
    const Distribution* of = of_system(asking);
    if (of == nullptr) return;
    std::vector<Need> kept, held;
    for (Need& need : out.needs) {
        const Distribution* other = need.reason.optional && trace::is_module(need.unit.kind) &&
                                            top_of(need.unit.name) != top_of(asking.name)
                                        ? of_system(need.unit)
                                        : nullptr;
        bool may = other == nullptr || other == of || installed_.are_related(*of, *other);
        (may ? kept : held).push_back(std::move(need));
    }
    out.needs = std::move(kept);
    if (held.empty()) return;
    std::lock_guard lock(mutex_);
    std::ranges::move(held, std::back_inserter(held_back_[asking.name]));
}

/// What was held back of distributions that came for other reasons since.
void PythonRuntime::let_related_in(const UnitIds& ids, UnitNeeds& needs) {
    for (auto& [name, held] : held_back_) {
        auto id = ids.find(name);
        if (id == ids.end()) continue;
        std::erase_if(held, [&](Need& need) {
            const Distribution* owner = installed_.owner_of(need.unit.file);
            bool is_there = owner != nullptr && carried_.reached.contains(owner->name);
            if (is_there) needs.emplace_back(id->second, std::move(need));
            return is_there;
        });
    }
}

std::vector<std::string> PythonRuntime::not_carried() {
    // All that a system has beside an application is nobody's business.
    bool in_environment = application_ != nullptr && facts_.prefix != facts_.base_prefix;
    std::vector<std::string> names;
    if (!in_environment) return names;
    for (const Distribution& distribution : installed_.all()) {
        bool is_tool = std::ranges::all_of(top_level_modules(distribution), [this](const std::string& top) {
            return is_development_tool(top);
        });
        if (&distribution != application_ && !is_tool && !carried_.reached.contains(distribution.name) &&
            distribution.root.starts_with(facts_.prefix + "/"))
            names.push_back(distribution.name);
    }
    std::ranges::sort(names);
    return names;
}

std::vector<trace::LeftOut> PythonRuntime::left_out() {
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
