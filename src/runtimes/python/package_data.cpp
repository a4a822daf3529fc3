#include "runtimes/python/package_data.h"

#include "native/elf_reader.h"
#include "support/pattern.h"

#include <algorithm>
#include <array>
#include <set>

namespace omnistasis::python {

namespace {

constexpr std::array<std::string_view, 30> unread_endings{
    ".py", ".pyc",   ".pyo", ".pyi",  ".pyx", ".pxd", ".pxi",   ".h",        ".hpp", ".hh",
    ".c",  ".cc",    ".cpp", ".cxx",  ".f",   ".f90", ".a",     ".o",        ".la",  ".lo",
    ".m4", ".cmake", ".pc",  ".orig", ".rej", ".swp", ".typed", ".egg-link", ".pth", "~"};
constexpr std::array<std::string_view, 13> unread_folders{
    "__pycache__", "test", "tests", "testing",      ".git",        ".hg",          ".svn",
    ".tox",        ".nox", ".venv", "node_modules", ".mypy_cache", ".pytest_cache"};

/// What packages ship for building others against them, besides files with the endings above.
bool is_for_building(const FolderEntry& entry) {
    return entry.name.starts_with(".") ||
           (entry.is_folder
                ? entry.name == "include" || entry.name == "pkgconfig" || entry.name == "npy-pkg-config"
                : entry.name.ends_with(".i"));
}

/// What to pass over besides what nobody reads.
struct Passed {
    bool build_files = false;
    bool everything = false; ///< nothing but what the interpreter makes and the patterns
    const std::vector<std::string>& patterns;
};

/// An extension module exports PyInit_<name>; a library that ctypes opens does not.
bool is_extension_module(const std::string& file, const std::string& name) {
    auto mapped = MappedFile::open(file);
    return mapped &&
           mapped->text().find("PyInit_" + name.substr(0, name.find('.'))) != std::string_view::npos;
}

void collect(const std::string& folder, const std::string& inner, std::set<std::string>& visited,
             const Passed& without, std::vector<std::string>& files) {
    std::string real = real_path(folder);
    // A link that leads back up would go round for ever.
    if (!visited.insert(real).second) return;
    auto entries = list_folder(folder);
    // Source in a folder that is no package is there to be read: templates, scripts to hand on.
    bool is_package =
        inner.empty() || std::ranges::find(entries, "__init__.py", &FolderEntry::name) != entries.end();
    for (const FolderEntry& entry : entries) {
        std::string path = inner.empty() ? entry.name : inner + "/" + entry.name;
        if (without.build_files && is_for_building(entry)) continue;
        if (std::ranges::any_of(without.patterns,
                                [&](const std::string& p) { return fits_pattern(path, p, '/'); }))
            continue;
        if (entry.is_folder) {
            bool passed = without.everything
                              ? entry.name == unread_folders.front()
                              : std::ranges::find(unread_folders, entry.name) != unread_folders.end() ||
                                    entry.name.ends_with(".dist-info") || entry.name.ends_with(".egg-info") ||
                                    is_there(folder + "/" + entry.name + "/pyvenv.cfg");
            if (!passed) collect(folder + "/" + entry.name, path, visited, without, files);
            continue;
        }
        bool unread = std::ranges::any_of(unread_endings,
                                          [&](std::string_view end) { return entry.name.ends_with(end); });
        if ((entry.name.ends_with(".py") && !is_package) || without.everything) unread = false;
        if (!unread &&
            !(is_library_name(entry.name) && is_extension_module(folder + "/" + entry.name, entry.name)))
            files.push_back(path);
    }
    visited.erase(real);
}

trace::Unit unit_of(const std::string& file, const std::string& root, const Places& places) {
    bool library = is_library_name(fs::path(file).filename().string());
    std::string place = places.of(file, root);
    return {library ? trace::UnitKind::native : trace::UnitKind::data, place, file, place,
            places.is_own(root)};
}

} // namespace

std::vector<std::string> readable_files(const std::string& folder, bool build_files,
                                        const std::vector<std::string>& without) {
    std::vector<std::string> files;
    std::set<std::string> visited;
    collect(folder, "", visited, {!build_files, false, without}, files);
    return files;
}

std::vector<std::string> all_files(const std::string& folder, const std::vector<std::string>& without) {
    std::vector<std::string> files;
    std::set<std::string> visited;
    collect(folder, "", visited, {false, true, without}, files);
    return files;
}

std::vector<trace::Unit> data_units(const std::string& folder, const std::string& root,
                                    const Places& places) {
    std::vector<trace::Unit> units;
    for (const std::string& file : readable_files(folder, places.is_own(root)))
        units.push_back(unit_of(folder + "/" + file, root, places));
    return units;
}

std::vector<trace::Unit> all_data_units(const std::string& folder, const std::string& root,
                                        const Places& places) {
    std::vector<trace::Unit> units;
    for (const std::string& file : all_files(folder, {}))
        if (!file.ends_with(".py") && !file.ends_with(".pyc"))
            units.push_back(unit_of(folder + "/" + file, root, places));
    return units;
}

std::vector<std::pair<trace::Unit, std::uint32_t>> named_data(const ScanResult& scan,
                                                              const std::string& source_file,
                                                              const std::string& root, const Project& project,
                                                              const Places& places, ModuleFinder& finder) {
    std::vector<std::pair<trace::Unit, std::uint32_t>> found;
    std::string top = project.folder.string();
    // The source's own folder and those above it, up to the project's.
    std::vector<std::string> folders;
    for (std::string folder = source_file.substr(0, source_file.rfind('/'));
         folder == top || !relative_to(folder, top).empty(); folder.resize(folder.rfind('/'))) {
        folders.push_back(folder);
        if (folder == top) break;
    }
    std::set<std::string_view> seen;
    for (const StringAt& string : scan.path_strings) {
        if (!seen.insert(string.text).second) continue;
        std::string name = string.text;
        while (name.ends_with('/')) name.pop_back();
        if (name.empty() || name.starts_with('/') || name.find("..") != std::string::npos || name == ".")
            continue;
        std::string first = name.starts_with("./") ? "" : name.substr(0, name.find('/'));
        for (const std::string& folder : folders) {
            // Most strings are no paths: the folder's list settles that without asking the disk.
            if (!first.empty() && !finder.has_entry(folder, first)) continue;
            std::string file = folder + "/" + name;
            if (is_file(file)) {
                bool code = name.ends_with(".py") || file == source_file;
                if (!code) found.emplace_back(unit_of(file, root, places), string.line);
                break;
            }
            if (is_folder(file)) {
                // A package's folder is carried by its imports; one with the build's own output not at all.
                bool package = is_there(file + "/__init__.py") || is_there(file + "/pyvenv.cfg");
                if (!package && file != top && name != "out" && name != "build" && name != "dist")
                    for (trace::Unit& unit : data_units(file, root, places))
                        found.emplace_back(std::move(unit), string.line);
                break;
            }
        }
    }
    return found;
}

} // namespace omnistasis::python
