// Packages are asked: those that have native addons or load modules by computed names are loaded once, alone
// and isolated, module by module as far as the trace reached them. What that loads is reached now.
#include "runtimes/node/node_runtime.h"
#include "runtimes/node/scan_cache.h"
#include "support/file_hash.h"
#include "trace/trial.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::node {

namespace {

bool loads_computed(const std::string& file, Store& store) {
    auto scanned = scan_file(file, store);
    return scanned && std::ranges::any_of(scanned->requests, [](const Request& request) {
               bool loads =
                   request.kind == RequestKind::require || request.kind == RequestKind::import_dynamic;
               return loads && request.text.find(unknown) != std::string::npos;
           });
}

} // namespace

/// The reached modules of the packages whose sources may not show all that they load, by the package's
/// folder.
std::map<std::string, std::vector<std::string>> NodeRuntime::modules_to_try(const std::vector<Unit>& units) {
    std::set<std::string> asked; // folders of packages
    std::map<std::string, std::vector<std::string>> modules;
    for (const Unit& unit : units) {
        if (unit.own || unit.file.empty() || placement_.is_own(unit.file)) continue;
        std::string root = placement_.package_root(unit.file);
        if (unit.kind == UnitKind::extension) asked.insert(root);
        if (unit.kind != UnitKind::script || unit.file == entry_) continue;
        if (!asked.contains(root) && loads_computed(unit.file, *store_)) asked.insert(root);
        // Programs do their work when they are loaded.
        auto package = resolver_.package_in(root);
        bool is_program = package && std::ranges::any_of(package->programs, [&](const auto& program) {
                              return fs::path(root + "/" + program.second).lexically_normal() == unit.file;
                          });
        if (!is_program && !tried_.contains(unit.file)) modules[root].push_back(unit.file);
    }
    std::erase_if(modules, [&](const auto& one) { return !asked.contains(one.first); });
    for (auto& [root, files] : modules) {
        std::ranges::sort(files);
        files.erase(std::unique(files.begin(), files.end()), files.end());
        tried_.insert(files.begin(), files.end());
    }
    return modules;
}

void NodeRuntime::settle_trials(const std::vector<Unit>& units, UnitNeeds& needs) {
    if (!project_.trial_imports || !facts_.runs_here) return;
    auto to_try = modules_to_try(units);
    if (to_try.empty()) return;
    auto installed = file_hash(placement_.base() + "/node_modules/.package-lock.json", *store_);
    std::vector<trace::TrialQuestion> questions;
    for (auto& [root, files] : to_try) {
        std::string key = fmt::format("{} {} {}\n", facts_.version, root, installed ? hex(*installed) : "");
        for (const std::string& file : files) {
            auto hash = file_hash(file, *store_);
            key += relative_to(file, root) + " " + (hash ? hex(*hash) : "") + "\n";
        }
        questions.push_back({{facts_.program, "--max-old-space-size=2048", (helpers_ / "trial.cjs").string()},
                             std::move(files),
                             Json::object(),
                             std::move(key)});
    }
    std::map<std::string_view, trace::UnitId> ids;
    for (trace::UnitId id = 0; id < units.size(); ++id) ids.emplace(units[id].file, id);
    for (const auto& answer : trace::try_modules(questions, *store_)) {
        if (!answer) {
            trial_trouble_ = answer.error().what + ": " + answer.error().hint;
            continue;
        }
        for (const trace::TrialRecord& record : answer->records) take_trial(units, ids, record, needs);
    }
}

/// What a module loaded on trial, as far as it lies in packages.
void NodeRuntime::take_trial(const std::vector<Unit>& units,
                             const std::map<std::string_view, trace::UnitId>& ids,
                             const trace::TrialRecord& record, UnitNeeds& needs) {
    auto tried = ids.find(record.module);
    if (tried == ids.end()) return;
    auto want = [&](trace::UnitId id, const std::string& file, const std::string& name, const char* verb) {
        if (placement_.is_own(file) || relative_to(file, placement_.base()).empty()) return;
        std::string real = real_path(file);
        Expansion out;
        want_file({Found::Kind::file, real, file, {}, {}, 0}, units[id], name,
                  {verb, units[id].file, 0, true}, out);
        for (Need& need : out.needs) needs.emplace_back(id, std::move(need));
    };
    for (const trace::TrialLoad& load : record.loaded) {
        auto by = ids.find(load.by);
        if (by != ids.end())
            want(by->second, load.file, package_name(load.name), "loads, as a trial import showed,");
    }
    for (const std::string& file : record.opened)
        want(tried->second, file, "", "reads, as a trial import showed,");
    for (const std::string& file : record.libraries)
        want(tried->second, file, "", "loads, as a trial import showed,");
}

} // namespace omnistasis::node
