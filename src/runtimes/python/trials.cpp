// Packages are asked: what reading can't show, a trial import does. The modules that the trace has reached
// are imported, distribution by distribution, and what that loads is reached now, and asked in turn until
// nothing new comes.
#include "runtimes/python/trials.h"

#include "native/native_kind.h"
#include "support/file_hash.h"
#include "support/letter_case.h"
#include "trace/tracer.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::python {

namespace {

template <typename Needs> bool brings_new(const std::vector<Unit>& units, const Needs& needs) {
    if (needs.empty()) return false;
    std::unordered_set<std::string> known;
    for (const Unit& unit : units) known.insert(trace::identity(unit));
    return std::ranges::any_of(
        needs, [&](const auto& need) { return !known.contains(trace::identity(need.second.unit)); });
}

} // namespace

/// Whether reading the sources of a distribution's modules may not show all that they load.
std::set<std::string> Trials::distributions_to_ask(const std::vector<Unit>& units) {
    std::set<std::string> ask;
    auto note = [&](const std::string& file) {
        if (const Distribution* owner = ground_.installed.owner_of(file)) ask.insert(owner->name);
    };
    for (const Unit& unit : units)
        if (unit.kind == UnitKind::extension && !unit.own && !unit.of_runtime) note(unit.file);
    for (const Scanned& scanned : gathered_.scanned)
        if (!scanned.own && !scanned.standard &&
            (scanned.result.imports_by_name || scanned.result.makes_modules ||
             !scanned.result.unknown_imports.empty()))
            note(scanned.file);
    return ask;
}

std::vector<trace::TrialQuestion> Trials::questions(std::vector<std::vector<std::string>> of_each,
                                                    const std::set<std::string>& without) const {
    std::vector<std::string> path;
    for (const std::string& folder : facts_here().search_path)
        if (folder != ground_.entry.folder && folder != ground_.project.folder.string())
            path.push_back(folder);
    std::string installed;
    for (const Distribution& one : installed_here().all()) installed += one.name + "=" + one.version + " ";
    for (const std::string& name : without) installed += "without " + name + " ";
    std::vector<trace::TrialQuestion> questions;
    for (std::vector<std::string>& modules : of_each) {
        std::string key = facts_here().magic + " " + installed;
        for (const std::string& module : modules) {
            auto hash = file_hash(finder_here().find(module).file, *ground_.store);
            key += module + " " + (hash ? hex(*hash) : "") + "\n";
        }
        questions.push_back(
            {{facts_here().executable, "-E", "-s", "-B", (ground_.helpers / "trial.py").string()},
             std::move(modules),
             {{"path", path}, {"without", without}},
             std::move(key)});
    }
    return questions;
}

std::vector<trace::OffersGroups::Needed>
Trials::needed_groups(const std::vector<trace::OffersGroups::Asks>& asks) {
    if (!ground_.project.trial_imports) return {};
    // All modules of a distribution are asked in one go: one that can't be imported stops no other.
    std::map<std::string, std::vector<std::string>> modules;
    std::map<std::string, const trace::OffersGroups::Asks*> asked; // by module
    std::set<std::string> groups;
    for (const trace::OffersGroups::Asks& one : asks) {
        const std::string& name = one.unit->name;
        const Distribution* owner = ground_.installed.owner_of(one.unit->file);
        if (!finder_here().find(name)) continue;
        modules[owner == nullptr ? top_of(name) : owner->name].push_back(name);
        asked.emplace(name, &one);
        groups.insert(one.groups.begin(), one.groups.end());
    }
    std::vector<std::vector<std::string>> all, failing;
    for (auto& [name, list] : modules) all.push_back(std::move(list));
    for (const auto& answer : trace::try_modules(questions(std::move(all), groups), *ground_.store)) {
        std::vector<std::string> unable;
        if (answer)
            for (const trace::TrialRecord& record : answer->records)
                if (!record.error.empty()) unable.push_back(record.module);
        if (!unable.empty()) failing.push_back(std::move(unable));
    }
    std::vector<trace::OffersGroups::Needed> needed;
    for (const auto& answer : trace::try_modules(questions(std::move(failing), {}), *ground_.store)) {
        if (!answer) continue;
        std::set<std::string> loaded;
        for (const trace::TrialRecord& record : answer->records) {
            for (const trace::TrialLoad& one : record.loaded) loaded.insert(top_of(one.name));
            if (!record.error.empty()) continue;
            const trace::OffersGroups::Asks& of_module = *asked.at(record.module);
            for (const std::string& group : of_module.groups)
                if (loaded.contains(group)) {
                    needed.push_back({of_module.unit, group});
                    gathered_.needed_groups[of_module.unit->file].insert(group);
                }
        }
    }
    return needed;
}

void Trials::settle_trials(const std::vector<Unit>& units, UnitNeeds& needs) {
    // What can be known without running anything comes first.
    if (!ground_.project.trial_imports || brings_new(units, needs)) return;
    std::set<std::string> ask = distributions_to_ask(units);
    std::map<std::string, std::vector<std::string>> to_try; // of each distribution
    UnitIds ids;
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        const Unit& unit = units[id];
        bool is_code = unit.kind == UnitKind::code || unit.kind == UnitKind::extension;
        if (!is_code) continue;
        ids.emplace(unit.name, id);
        if (unit.own || unit.of_runtime || companions_.is_companion(unit) ||
            unit.name.ends_with("__main__") || ground_.is_development_tool(top_of(unit.name)))
            continue;
        std::string group = companions_.on_request(unit);
        if (!group.empty() && !companions_.is_wanted(group)) continue;
        const Distribution* owner = ground_.installed.owner_of(unit.file);
        if (owner == nullptr || !ask.contains(owner->name)) continue;
        if (!finder_here().find(unit.name) || !tried_[owner->name].insert(unit.name).second) continue;
        to_try[owner->name].push_back(unit.name);
    }
    std::vector<std::vector<std::string>> of_each;
    for (auto& [name, modules] : to_try) {
        // The package itself first, then what is in it.
        std::ranges::sort(modules);
        of_each.push_back(std::move(modules));
    }
    for (const auto& answer : trace::try_modules(questions(std::move(of_each), {}), *ground_.store)) {
        if (!answer) {
            trial_trouble_ = answer.error().what + ": " + answer.error().hint;
            continue;
        }
        for (const trace::TrialRecord& record : answer->records) {
            auto id = ids.find(record.module);
            if (id == ids.end()) continue;
            Expansion out;
            take_trial(units[id->second], record, out);
            companions_.note_asked(units[id->second], out.needs);
            for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
        }
    }
    // Companions that were asked for are settled at once: nothing else may be new.
    if (companions_.is_any_asked()) companions_.settle_companions(ids, needs);
}

/// The library of the target's distribution that is what `file` is of the one here: in the same folder, with
/// the name that the system has for it. Empty where there is none.
std::string Trials::library_there(const std::string& file, const Distribution& here,
                                  const Distribution& there) const {
    if (!ground_.here) return file;
    auto stem = [](std::string name) {
        name = lower_case(name.substr(0, name.find('.')));
        return name.starts_with("lib") ? name.substr(3) : name;
    };
    std::string inner = relative_to(parent_folder_of(file), here.root);
    std::string folder = inner.empty() ? there.root : there.root + "/" + inner;
    for (const FolderEntry& entry : list_folder(folder))
        if (!entry.is_folder && stem(entry.name) == stem(base_name(file)) &&
            native::kind_of(folder + "/" + entry.name).fits(ground_.facts.target))
            return folder + "/" + entry.name;
    return {};
}

/// What an import on trial loaded, where it lies in a distribution or the standard library.
void Trials::take_trial(const Unit& unit, const trace::TrialRecord& record, Expansion& out) {
    Reason loads{"loads, as a trial import showed,", unit.file, 0, true};
    Reason reads{"reads, as a trial import showed,", unit.file, 0, true};
    for (const auto& [name, file, by] : record.loaded) {
        if (name == "__main__" || name.ends_with(".__main__")) continue;
        if (finder_here().find(name).file != file) continue;
        const FoundModule& found = ground_.finder.find(name);
        if (found.kind == FoundModule::Kind::absent) continue;
        if (ground_.is_development_tool(top_of(name)) && !ground_.is_development_tool(top_of(unit.name)))
            continue;
        if (!ground_.places.is_own(found.root)) imports_.want(name, loads, out);
    }
    for (const std::string& file : record.opened) {
        if (file.find("/__pycache__/") != std::string::npos || file.ends_with(".pyc") ||
            file.ends_with(".pth"))
            continue;
        const Distribution* here = installed_here().owner_of(file);
        if (here == nullptr || file.starts_with(here->folder)) continue;
        const Distribution* owner = ground_.installed.named(here->name);
        if (owner == nullptr) continue;
        std::string counterpart = owner->root + "/" + relative_to(file, here->root);
        if (!is_file(counterpart)) continue;
        if (file.ends_with(".py")) gathered_.reads_sources_of.insert(owner->name);
        if (!ground_.is_code_file(file) || file.ends_with(".py"))
            out.needs.push_back(
                {file_unit(UnitKind::data, counterpart, ground_.places.of(counterpart, owner->root)), reads});
    }
    for (const std::string& file : record.libraries) {
        const Distribution* here = ground_.is_code_file(file) ? nullptr : installed_here().owner_of(file);
        const Distribution* owner = here == nullptr ? nullptr : ground_.installed.named(here->name);
        std::string counterpart = owner == nullptr ? std::string() : library_there(file, *here, *owner);
        if (!counterpart.empty())
            out.needs.push_back(
                {file_unit(UnitKind::native, counterpart, ground_.places.of(counterpart, owner->root)),
                 loads});
    }
}

} // namespace omnistasis::python
