// What a watched run of a Python application is, and what it shows.
#include "runtimes/python/rehearsals.h"

#include "runtimes/python/package_data.h"
#include "trace/import_log.h"
#include "trace/rehearsed_ends.h"

#include <algorithm>
#include <cstdlib>
#include <fmt/format.h>

namespace omnistasis::python {

namespace {

/// What a distribution's own files go by in facts, where its folder has the version in its name.
constexpr std::string_view metadata_of = ".dist-info";

} // namespace

Expansion Rehearsals::recall(const Rehearsed& facts) {
    Expansion out;
    Reason seen{"was seen in a rehearsal", ground_.project.rehearsed_file.string(), 0, true};
    for (const Rehearsed::Module& module : facts.modules) imports_.want(module.name, seen, out);
    for (const Rehearsed::File& file : facts.files) {
        std::vector<std::string> folders{ground_.project.folder.string()};
        std::string root = folders.front();
        if (file.package.ends_with(metadata_of)) {
            std::string name = file.package.substr(0, file.package.size() - metadata_of.size());
            const Distribution* found = ground_.installed.named(normalized_distribution_name(name));
            folders = {found == nullptr ? std::string("/") : found->folder};
            root = found == nullptr ? std::string() : found->root;
        } else if (!file.package.empty()) {
            const FoundModule& package = ground_.finder.find(file.package);
            folders = package.folders;
            root = package.root;
        }
        for (const std::string& folder : folders) {
            std::string path = folder + "/" + file.path;
            if (!is_file(path)) continue;
            Unit unit = file_unit(kind_by_name(path), path, ground_.places.of(path, root));
            unit.own = file.package.empty();
            out.needs.push_back({std::move(unit), seen});
            break;
        }
    }
    for (const std::string& name : facts.libraries) ground_.want_opened_library(name, seen, out);
    out.loose_ends = trace::loose_ends_of_rehearsals(ground_.project, facts);
    return out;
}

/// How the entry point is started; a module or a function has to be found on the interpreter's path.
std::vector<std::string> Rehearsals::start_from_source(const std::vector<std::string>& arguments) const {
    std::vector<std::string> command{ground_.facts.executable};
    if (ground_.entry.kind == Entry::Kind::script) {
        command.push_back(ground_.entry.file);
    } else if (ground_.entry.kind == Entry::Kind::module) {
        std::string module = ground_.entry.module;
        if (module.ends_with(".__main__")) module = parent_of(module);
        command.insert(command.end(), {"-m", module});
    } else {
        command.insert(
            command.end(),
            {"-c", fmt::format("import sys, {0}; sys.argv[0] = {1:?}; sys.exit({0}.{2}())",
                               ground_.entry.module, ground_.project.name, ground_.entry.function)});
    }
    command.insert(command.end(), arguments.begin(), arguments.end());
    return command;
}

Result<trace::SourceRun> Rehearsals::source_run(const std::filesystem::path& scratch,
                                                const std::vector<std::string>& arguments) {
    trace::SourceRun run;
    run.command = start_from_source(arguments);
    run.variables["PYTHONDONTWRITEBYTECODE"] = "1"; // none is left in the project
    if (ground_.here) return elsewhere(std::move(run), scratch);
    std::string path = std::getenv("PYTHONPATH") != nullptr ? std::getenv("PYTHONPATH") : "";
    if (ground_.entry.kind != Entry::Kind::script)
        path = ground_.entry.folder + (path.empty() ? "" : ":" + path);
    if (!path.empty()) run.variables["PYTHONPATH"] = path;
    return run;
}

/// A folder that makes an interpreter run one of our helpers at its start, once it is on its path.
Result<std::string> Rehearsals::startup_folder(const std::string& helper,
                                               const std::filesystem::path& folder) const {
    auto text = read_text(ground_.helpers / helper);
    if (!text) return pass_on(text);
    std::error_code failed;
    fs::create_directories(folder, failed);
    if (auto written = write_atomically(folder / "sitecustomize.py", *text); !written)
        return pass_on(written);
    return folder.string();
}

/// With the target's own interpreter, and the packages that were brought for it.
Result<trace::SourceRun> Rehearsals::elsewhere(trace::SourceRun run,
                                               const std::filesystem::path& scratch) const {
    const Facts& facts = ground_.facts;
    run.command.front() = facts.program;
    run.folders = {ground_.project.root_folder, ground_.project.folder, facts.base_prefix};
    std::string separator = facts.platform == "win32" ? ";" : ":", path;
    auto add_to_path = [&](const std::string& folder) {
        path += (path.empty() ? "" : separator) + folder;
        run.folders.emplace_back(folder);
    };
    if (facts.prefix != facts.base_prefix) {
        auto start = startup_folder("site_folders.py", scratch / "site folders");
        if (!start) return pass_on(start);
        add_to_path(*start);
        run.variables["OMNISTASIS_SITE_FOLDERS"] =
            facts.prefix + "/" + facts.library_place + "/site-packages";
        run.folders.emplace_back(facts.prefix);
    }
    if (ground_.entry.kind != Entry::Kind::script) add_to_path(ground_.entry.folder);
    // Own modules that the environment of this machine leads to.
    for (const auto& [module, file] : facts.editable) add_to_path(parent_folder_of(file));
    for (const std::string& folder : facts.search_path)
        if (relative_to(folder, facts.base_prefix).empty() && relative_to(folder, facts.prefix).empty())
            add_to_path(folder);
    if (!path.empty()) run.variables["PYTHONPATH"] = path;
    return run;
}

std::string Rehearsals::module_file(const std::string& module) {
    const FoundModule& found = ground_.finder.find(module);
    return found.kind == FoundModule::Kind::absent || found.kind == FoundModule::Kind::built_in
               ? std::string()
               : found.file;
}

Result<trace::SourceRun> Rehearsals::watched_run(const std::filesystem::path& scratch,
                                                 const std::vector<std::string>& arguments) {
    auto watcher = startup_folder("watch_imports.py", scratch / "watcher");
    if (!watcher) return pass_on(watcher);
    trace::SourceRun run;
    std::string path = *watcher;
    run.command = start_from_source(arguments);
    if (ground_.entry.kind != Entry::Kind::script) path += ":" + ground_.entry.folder;
    if (const char* before = std::getenv("PYTHONPATH")) path += std::string(":") + before;
    run.variables = {{"PYTHONPATH", path}, {"OMNISTASIS_REHEARSAL", (scratch / "imports").string()}};
    return run;
}

std::vector<trace::SeenModule> Rehearsals::seen_modules(const std::filesystem::path& scratch) {
    std::vector<trace::SeenModule> seen = trace::read_import_log(scratch / "imports");
    // Without any code of Python that asks, it is the interpreter itself that starts.
    std::erase_if(seen, [](const trace::SeenModule& module) { return module.file.empty(); });
    for (trace::SeenModule& module : seen)
        if (!module.file.starts_with('/')) module.file.clear(); // code without a file: "<string>"
    return seen;
}

std::string Rehearsals::place_asked_for(const std::filesystem::path& file) {
    std::string path = file.string();
    if (std::ranges::binary_search(ground_.installed_files, path)) return ground_.places.of_installed(path);
    std::string nearest;
    for (const auto* roots : {&ground_.search_path, &ground_.facts.search_path})
        for (const std::string& root : *roots)
            if (root.size() > nearest.size() && !relative_to(path, root).empty()) nearest = root;
    std::string own = ground_.project.root_folder.string();
    if (nearest.size() < own.size() && !relative_to(path, own).empty()) nearest = own;
    return nearest.empty() ? std::string() : ground_.places.of(path, nearest);
}

std::optional<Rehearsed::File> Rehearsals::package_file(const std::filesystem::path& file) {
    // The standard library's folder holds those of the packages.
    std::string nearest;
    for (const std::string& root : ground_.facts.search_path)
        if (root.size() > nearest.size() && !relative_to(file.string(), root).empty()) nearest = root;
    std::string inner = nearest.empty() ? std::string() : relative_to(file.string(), nearest);
    std::size_t slash = inner.find('/');
    // Metadata, whatever the version.
    std::string folder = inner.substr(0, slash);
    if (slash != std::string::npos && (folder.ends_with(".dist-info") || folder.ends_with(".egg-info")))
        return Rehearsed::File{folder.substr(0, folder.find('-')) + std::string(metadata_of),
                               inner.substr(slash + 1)};
    if (slash == std::string::npos || !ground_.finder.find(inner.substr(0, slash)).is_package)
        return std::nullopt;
    return Rehearsed::File{inner.substr(0, slash), inner.substr(slash + 1)};
}

} // namespace omnistasis::python
