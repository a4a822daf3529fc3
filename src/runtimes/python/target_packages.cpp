#include "runtimes/python/target_packages.h"

#include "runtimes/python/requirements_file.h"
#include "runtimes/python/stocked_library.h"

#include <algorithm>
#include <deque>
#include <fmt/format.h>

namespace omnistasis::python {

namespace {

/// A version without what a builder adds to it, which registries do not know: "2.1.0+cpu".
std::string public_version(const std::string& version) { return version.substr(0, version.find('+')); }

} // namespace

trace::NeededPackage TargetPackages::needed(const std::string& name, const std::string& versions,
                                            const std::string& file, std::uint32_t line) {
    const Distribution* here = ground_.here->installed.named(name);
    return {name, here == nullptr ? std::string() : public_version(here->version), versions, file, line};
}

/// The distributions of modules that the trace did not find, and that are installed on this machine.
void TargetPackages::add_absent(std::map<std::string, trace::NeededPackage>& missing) {
    HostSide& here = *ground_.here;
    for (const auto& [name, reason] : gathered_.absent_modules) {
        std::string module = name;
        const FoundModule* found = &here.finder.find(module);
        while (found->file.empty() && module.find('.') != std::string::npos)
            found = &here.finder.find(module = parent_of(module));
        const Distribution* brings = found->file.empty() ? nullptr : here.installed.owner_of(found->file);
        if (brings == nullptr || ground_.is_development_tool(top_of(name))) continue;
        if (ground_.installed.named(brings->name) != nullptr) continue; // and it does without on that system
        const Distribution* asks = ground_.installed.owner_of(reason.file);
        auto asker = gathered_.needed_groups.find(reason.file);
        bool can_do_without = reason.optional && (asker == gathered_.needed_groups.end() ||
                                                  !asker->second.contains(top_of(name)));
        if (asks != nullptr && !may_need(*asks, *brings, can_do_without)) continue;
        auto [known, is_new] =
            missing.try_emplace(brings->name, needed(brings->name, "", reason.file, reason.line));
        known->second.is_optional = (is_new || known->second.is_optional) && can_do_without;
    }
}

/// Whether modules of a distribution, which import another, may need that on the target: where its metadata
/// names the other, by the conditions that stand there, whatever its extras; else where it can't do without.
bool TargetPackages::may_need(const Distribution& one, const Distribution& other, bool is_optional) {
    bool is_named = false;
    for (const Requirement& requirement : requirements_of(one)) {
        if (requirement.name != other.name) continue;
        is_named = true;
        if (marker_holds(requirement.marker, ground_.installed.variables(), {every_extra})) return true;
    }
    return !is_named && !is_optional;
}

/// What those that are there or missing require on the target, and what the project declares.
void TargetPackages::add_required(std::map<std::string, trace::NeededPackage>& missing) {
    struct Asked {
        std::string name;
        Extras extras;
    };
    std::deque<Asked> open;
    std::map<std::string, Extras> seen; // and the extras that it was looked at with
    auto ask = [&](const Requirement& one, const std::string& file) {
        if (ground_.installed.named(one.name) == nullptr) {
            auto known = missing.try_emplace(one.name, needed(one.name, "", file, 0)).first;
            if (known->second.versions.empty()) known->second.versions = one.versions;
            known->second.is_optional = false;
        }
        open.push_back({one.name, one.extras});
    };
    for (const std::string& line : declared_requirements(ground_.project.own_folder)) {
        auto requirement = read_requirement(line);
        if (requirement && marker_holds(requirement->marker, ground_.installed.variables(), {}))
            ask(*requirement, ground_.project.own_folder.string());
    }
    // What a list of requirements has for other systems than this machine's can't be installed here.
    fs::path list = ground_.project.own_folder / "requirements.txt";
    for (const std::string& line : listed_requirements(list)) {
        auto requirement = read_requirement(line);
        bool only_there = requirement &&
                          marker_holds(requirement->marker, ground_.installed.variables(), {}) &&
                          !marker_holds(requirement->marker, ground_.here->installed.variables(), {});
        if (only_there) ask(*requirement, list.string());
    }
    for (const auto& [name, one] : missing) open.push_back({name, {}});
    for (const Distribution& one : ground_.installed.all()) open.push_back({one.name, {}});
    while (!open.empty()) {
        Asked asked = std::move(open.front());
        open.pop_front();
        auto [known, is_new] = seen.try_emplace(asked.name);
        std::size_t before = known->second.size();
        known->second.merge(asked.extras);
        if (!is_new && known->second.size() == before) continue;
        const Distribution* one = ground_.installed.named(asked.name);
        if (one == nullptr) one = ground_.here->installed.named(asked.name);
        if (one == nullptr) continue;
        for (const Requirement& requirement : requirements_of(*one))
            if (marker_holds(requirement.marker, ground_.installed.variables(), known->second))
                ask(requirement, one->folder);
    }
}

const std::vector<trace::NeededPackage>& TargetPackages::missing() {
    if (!missing_) missing_ = ground_.here ? all_missing() : std::vector<trace::NeededPackage>();
    return *missing_;
}

std::vector<trace::NeededPackage> TargetPackages::all_missing() {
    std::map<std::string, trace::NeededPackage> missing;
    add_absent(missing);
    // The application itself, where it is an installed one.
    const Distribution* application = nullptr;
    if (ground_.project.is_installed) {
        application = ground_.here->installed.with_command(base_name(ground_.entry.file));
        if (application == nullptr) application = ground_.here->installed.owner_of(ground_.entry.file);
    }
    if (application != nullptr && ground_.installed.named(application->name) == nullptr)
        missing.try_emplace(application->name, needed(application->name, "", ground_.entry.file, 0));
    add_required(missing);
    // What is developed in the project is its own, though it may be installed.
    std::erase_if(missing, [this](const auto& one) {
        const Distribution* here = ground_.here->installed.named(one.first);
        return here != nullptr && ground_.is_own_on_this_machine(*here);
    });
    std::vector<trace::NeededPackage> all;
    for (auto& [name, one] : missing) all.push_back(std::move(one));
    return all;
}

std::vector<trace::LooseEnd> TargetPackages::differences() {
    std::vector<trace::LooseEnd> ends;
    if (!ground_.here) return ends;
    const Facts& there = ground_.facts;
    const Facts& own = ground_.here->facts;
    if (there.minor != own.minor)
        ends.push_back(
            {.kind = "other-runtime",
             .what =
                 fmt::format("Python for {} is {}.{}.{}, and this project's own is {}.{}.{}", there.target,
                             there.major, there.minor, there.micro, own.major, own.minor, own.micro),
             .file = own.executable,
             .effect = "the application runs on another version there, with packages for that one",
             .advice = fmt::format("omnistasis runtimes fetch python --target {} --version {}.{}, where one "
                                   "is known, or use the same version here",
                                   there.target, own.major, own.minor)});
    if (!there.compiles())
        ends.push_back(
            {.kind = "no-bytecode",
             .what = fmt::format("there is no Python {}.{} on this machine to compile with", there.major,
                                 there.minor),
             .file = own.executable,
             .effect = "all modules go along as source text, the application's own too, and are compiled "
                       "anew at every start",
             .advice = how_to_get_compiler(there)});
    for (const Distribution& one : ground_.installed.all()) {
        const Distribution* here = ground_.here->installed.named(one.name);
        if (here == nullptr || public_version(here->version) == public_version(one.version)) continue;
        ends.push_back(
            {.kind = "other-version",
             .what = fmt::format("{} is {} for {}, and {} on this machine", one.name, one.version,
                                 ground_.facts.target, here->version),
             .file = one.folder,
             .line = 0,
             .effect = "the application may behave otherwise there",
             .advice = fmt::format("install the same version here, or take the package out of {} and run "
                                   "omnistasis packages fetch",
                                   lock_name),
             .minor = true});
    }
    return ends;
}

} // namespace omnistasis::python
