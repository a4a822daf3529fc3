#include "runtimes/registry.h"

#include "runtimes/lua/lua_language.h"
#include "runtimes/node/node_finder.h"
#include "runtimes/node/node_language.h"
#include "runtimes/python/entry.h"
#include "runtimes/python/foreign_runtime.h"
#include "runtimes/python/package_cleaning.h"
#include "runtimes/python/python_language.h"
#include "runtimes/python/stocked_library.h"
#include "support/files.h"
#include "support/near_match.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis {

namespace {

struct Language {
    const char* name;
    /// Completes the project where it can start the entry; false where it can't.
    Result<bool> (*settle_entry)(Project& project);
    bool (*is_source)(const std::filesystem::path& file);
    Result<std::unique_ptr<trace::Runtime>> (*make)(const Project& project, const std::filesystem::path& data,
                                                    std::shared_ptr<Store> store, trace::EntryCheck check);
    Recognise recognise;
    /// The runtime that a target's builds get where the project names none.
    Result<std::string> (*usual_for)(const std::string& target);
    /// What is done once for a runtime in the stock; null: nothing.
    Result<void> (*prepare)(const StockedRuntime& runtime, const std::filesystem::path& data) = nullptr;
    /// Null where the library is not made of sources.
    Result<std::string> (*write_library_program)(const StockedRuntime& runtime,
                                                 const std::filesystem::path& folder) = nullptr;
    /// Null where it has no packages for other systems.
    Result<PackageUse> (*look_through_packages)(std::chrono::days idle, bool removes) = nullptr;
};

/// All languages; a new one is a folder beside python/ and a line here.
constexpr Language languages[] = {
    {"python", python::settle_entry, python::is_python_source, python::make_python_runtime,
     python::recognise_runtimes, python::usual_runtime, python::prepare_runtime,
     python::write_library_program, python::look_through_packages_of_user},
    {"node", node::settle_entry, node::is_node_source, node::make_node_runtime, node::recognise_runtimes,
     node::usual_runtime},
    {"lua", lua::settle_entry, lua::is_lua_source, lua::make_lua_runtime, lua::recognise_runtimes,
     lua::usual_runtime},
};

/// The entry point that may have been meant: sources in the folder, those with a similar name first.
std::string entry_hint(const Project& project) {
    fs::path folder = (project.folder / project.entry).parent_path();
    if (project.entry.empty()) folder = project.folder;
    std::vector<std::string> names, sources;
    for (const FolderEntry& entry : list_folder(folder)) {
        names.push_back(entry.name);
        auto is_source = [&](const Language& one) { return one.is_source(folder / entry.name); };
        if (!entry.is_folder && std::ranges::any_of(languages, is_source)) sources.push_back(entry.name);
    }
    std::string wanted = fs::path(project.entry).filename().string();
    auto near = near_matches(wanted, names);
    // The same name with an ending is what was meant.
    for (const std::string& source : sources)
        if (fs::path(source).stem() == wanted) near = {source};
    if (!near.empty()) return fmt::format("did you mean {}?", fmt::join(near, " or "));
    if (sources.empty()) return "name the source file that is started";
    if (sources.size() > 3) sources.resize(3);
    return fmt::format("name the source file that is started: {}", fmt::join(sources, ", "));
}

} // namespace

std::vector<std::string> language_names() {
    std::vector<std::string> names;
    for (const Language& language : languages) names.emplace_back(language.name);
    return names;
}

std::vector<std::pair<std::string, std::vector<Recognised>>> recognise_runtimes(const fs::path& folder) {
    std::vector<std::pair<std::string, std::vector<Recognised>>> found;
    for (const Language& language : languages) found.emplace_back(language.name, language.recognise(folder));
    return found;
}

Result<void> prepare_runtime(const StockedRuntime& runtime, const fs::path& data) {
    for (const Language& language : languages)
        if (runtime.language == language.name && language.prepare != nullptr)
            return language.prepare(runtime, data);
    return {};
}

Result<std::string> write_library_program(const StockedRuntime& runtime, const fs::path& folder) {
    for (const Language& language : languages)
        if (runtime.language == language.name && language.write_library_program != nullptr)
            return language.write_library_program(runtime, folder);
    return std::string();
}

Result<PackageUse> look_through_packages(std::chrono::days idle, bool removes) {
    PackageUse all;
    for (const Language& language : languages) {
        if (language.look_through_packages == nullptr) continue;
        auto use = language.look_through_packages(idle, removes);
        if (!use) return use;
        all.packages += use->packages;
        all.bytes += use->bytes;
        all.idle_packages += use->idle_packages;
        all.idle_bytes += use->idle_bytes;
    }
    return all;
}

Result<std::string> runtime_for(const std::string& name, const std::string& target) {
    for (const Language& language : languages)
        if (name == language.name) return language.usual_for(target);
    return fail(ErrorKind::fault, "there is no such language", name);
}

Result<void> settle_entry(Project& project) {
    bool known = project.language.empty();
    for (const Language& language : languages) {
        if (!project.language.empty() && project.language != language.name) continue;
        known = true;
        auto settled = language.settle_entry(project);
        if (!settled) return pass_on(settled);
        if (!*settled) continue;
        project.language = language.name;
        return {};
    }
    if (!known)
        return fail(ErrorKind::bad_input, fmt::format("there is no language `{}`", project.language),
                    "runtime.language", "", fmt::format("known are: {}", fmt::join(language_names(), ", ")));
    std::string said_in = project.project_file.empty() ? "" : "app.entry in " + project.project_file.string();
    if (project.entry.empty())
        return project.project_file.empty()
                   ? fail(ErrorKind::bad_input, "no entry point was named", project.folder.string(),
                          "there is no omnistasis.toml in it, and no program that it names",
                          entry_hint(project))
                   : fail(ErrorKind::bad_input, "the project has no entry point",
                          project.project_file.string(), "app.entry is missing",
                          "add entry = \"...\" to [app]: the source file that is started");
    fs::path file = project.folder / project.entry;
    if (!is_there(file))
        return fail(ErrorKind::bad_input, "the entry point is not there", file.string(), said_in,
                    entry_hint(project));
    if (is_folder(file))
        return fail(ErrorKind::bad_input, "the entry point is a folder", file.string(), said_in,
                    "name the source file that is started");
    return fail(ErrorKind::bad_input, "the entry point's language is not known", file.string(),
                "neither its name nor its first line says which",
                fmt::format("known are: {}; set runtime.language in omnistasis.toml",
                            fmt::join(language_names(), ", ")));
}

Result<std::unique_ptr<trace::Runtime>> make_runtime(const Project& project,
                                                     const std::filesystem::path& data,
                                                     std::shared_ptr<Store> store, trace::EntryCheck check) {
    for (const Language& language : languages)
        if (project.language == language.name) return language.make(project, data, std::move(store), check);
    return fail(ErrorKind::fault, "the project's language was not settled", project.entry);
}

} // namespace omnistasis
