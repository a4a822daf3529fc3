// Packages are asked: what reading can't show, a trial import does. The modules that the trace has reached
// are imported, distribution by distribution, and what that loads is reached now, and asked in turn until
// nothing new comes.
#include "runtimes/python/python_runtime.h"
#include "support/file_hash.h"
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
std::set<std::string> PythonRuntime::distributions_to_ask(const std::vector<Unit>& units) {
    std::set<std::string> ask;
    auto note = [&](const std::string& file) {
        if (const Distribution* owner = installed_.owner_of(file)) ask.insert(owner->name);
    };
    for (const Unit& unit : units)
        if (unit.kind == UnitKind::extension && !unit.own && !unit.of_runtime) note(unit.file);
    for (const Scanned& scanned : scanned_)
        if (!scanned.own && !scanned.standard &&
            (scanned.result.imports_by_name || scanned.result.makes_modules ||
             !scanned.result.unknown_imports.empty()))
            note(scanned.file);
    return ask;
}

void PythonRuntime::settle_trials(const std::vector<Unit>& units, UnitNeeds& needs) {
    // What can be known without running anything comes first.
    if (!project_.trial_imports || brings_new(units, needs)) return;
    std::set<std::string> ask = distributions_to_ask(units);
    std::map<std::string, std::vector<std::string>> to_try; // of each distribution
    UnitIds ids;
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        const Unit& unit = units[id];
        bool is_code = unit.kind == UnitKind::code || unit.kind == UnitKind::extension;
        if (!is_code) continue;
        ids.emplace(unit.name, id);
        if (unit.own || unit.of_runtime || is_companion(unit) || unit.name.ends_with("__main__") ||
            is_development_tool(top_of(unit.name)))
            continue;
        std::string group = on_request(unit);
        if (!group.empty() && !carried_.wanted_groups.contains(group)) continue;
        const Distribution* owner = installed_.owner_of(unit.file);
        if (owner == nullptr || !ask.contains(owner->name)) continue;
        if (!tried_[owner->name].insert(unit.name).second) continue;
        to_try[owner->name].push_back(unit.name);
    }
    std::string installed;
    for (const Distribution& one : installed_.all()) installed += one.name + "=" + one.version + " ";
    std::vector<std::string> path;
    for (const std::string& folder : facts_.search_path)
        if (folder != entry_.folder && folder != project_.folder.string()) path.push_back(folder);
    std::vector<trace::TrialQuestion> questions;
    for (auto& [name, modules] : to_try) {
        // The package itself first, then what is in it.
        std::ranges::sort(modules);
        std::string key = facts_.magic + " " + installed;
        for (const std::string& module : modules) {
            auto hash = file_hash(finder_.find(module).file, *store_);
            key += module + " " + (hash ? hex(*hash) : "") + "\n";
        }
        questions.push_back({{facts_.executable, "-E", "-s", "-B", (helpers_ / "trial.py").string()},
                             std::move(modules),
                             {{"path", path}},
                             std::move(key)});
    }
    for (const auto& answer : trace::try_modules(questions, *store_)) {
        if (!answer) {
            trial_trouble_ = answer.error().what + ": " + answer.error().hint;
            continue;
        }
        for (const trace::TrialRecord& record : answer->records) {
            auto id = ids.find(record.module);
            if (id == ids.end()) continue;
            Expansion out;
            take_trial(units[id->second], record, out);
            note_asked(units[id->second], out.needs);
            for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
        }
    }
    // Companions that were asked for are settled at once: nothing else may be new.
    if (!carried_.asked.empty()) settle_companions(ids, needs);
}

std::vector<trace::LooseEnd> PythonRuntime::final_loose_ends() {
    std::vector<trace::LooseEnd> ends = ends_;
    if (!trial_trouble_.empty()) ends.push_back(trace::packages_not_asked(trial_trouble_, facts_.executable));
    return ends;
}

/// What an import on trial loaded, where it lies in a distribution or the standard library.
void PythonRuntime::take_trial(const Unit& unit, const trace::TrialRecord& record, Expansion& out) {
    Reason loads{"loads, as a trial import showed,", unit.file, 0, true};
    Reason reads{"reads, as a trial import showed,", unit.file, 0, true};
    for (const auto& [name, file, by] : record.loaded) {
        if (name == "__main__" || name.ends_with(".__main__")) continue;
        const FoundModule& found = finder_.find(name);
        if (found.kind == FoundModule::Kind::absent || found.file != file) continue;
        if (is_development_tool(top_of(name)) && !is_development_tool(top_of(unit.name))) continue;
        if (!places_.is_own(found.root)) want(name, loads, out);
    }
    for (const std::string& file : record.opened) {
        if (file.find("/__pycache__/") != std::string::npos || file.ends_with(".pyc") ||
            file.ends_with(".pth"))
            continue;
        const Distribution* owner = installed_.owner_of(file);
        if (owner == nullptr || file.starts_with(owner->folder) || !is_file(file)) continue;
        if (file.ends_with(".py")) reads_sources_of_.insert(owner->name);
        if (!is_code_file(file) || file.ends_with(".py"))
            out.needs.push_back({file_unit(UnitKind::data, file, places_.of(file, owner->root)), reads});
    }
    for (const std::string& file : record.libraries) {
        if (is_code_file(file)) continue;
        const Distribution* owner = installed_.owner_of(file);
        if (owner != nullptr)
            out.needs.push_back({file_unit(UnitKind::native, file, places_.of(file, owner->root)), loads});
    }
}

} // namespace omnistasis::python
