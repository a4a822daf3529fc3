// The application's own goes along whole: it is small, and it is what people lose. Own is what lies in the
// project's folder; of a command that somebody installed, the distribution that it starts.
#include "project/assets.h"
#include "project/own_files.h"
#include "runtimes/python/package_data.h"
#include "runtimes/python/python_runtime.h"
#include "support/system_packages.h"
#include "trace/own_ends.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis::python {

namespace {

/// Parts of the standard library that no program of a user imports.
constexpr std::array<std::string_view, 13> passed_library{
    "test",        "idlelib", "turtledemo", "ensurepip",  "tkinter",   "turtle",    "this",
    "antigravity", "lib2to3", "msilib",     "pydoc_data", "distutils", "__phello__"};

/// What lies at the system's places and means nothing to the program itself.
constexpr std::array<std::string_view, 24> passed_of_system{"doc/",          "man/",
                                                            "info/",         "lintian/",
                                                            "applications/", "metainfo/",
                                                            "appdata/",      "bash-completion/",
                                                            "zsh/",          "fish/",
                                                            "menu/",         "mime/",
                                                            "polkit-1/",     "gtk-doc/",
                                                            "doc-base/",     "bug/",
                                                            "reportbug/",    "python3/runtime.d/",
                                                            "glib-2.0/",     "systemd/",
                                                            "udev/",         "xdg/",
                                                            "init.d/",       "cron"};

} // namespace

std::vector<std::string> installed_files(const Project& project, const Entry& entry) {
    if (!project.is_installed || !entry.file.starts_with("/usr/")) return {};
    std::vector<std::string> files = files_packaged_with(entry.file);
    std::erase_if(files, [](const std::string& file) {
        auto below = [&](std::string_view folder) { return file.starts_with(folder); };
        bool is_data = below("/usr/share/") || below("/usr/lib/") || below("/usr/games/") || below("/etc/");
        // A command that comes with the interpreter: its library is no one's own.
        return !is_data || file.ends_with(".pyc") || below("/usr/lib/python3.") ||
               std::ranges::any_of(passed_of_system, [&](std::string_view one) {
                   return below("/usr/share/" + std::string(one)) || below("/usr/lib/" + std::string(one)) ||
                          below("/etc/" + std::string(one));
               });
    });
    return files;
}

std::set<std::string> folders_of_packages(const std::vector<std::string>& files) {
    constexpr std::string_view mark = "/__init__.py";
    std::set<std::string> folders;
    for (const std::string& file : files) {
        if (file.starts_with("/usr/lib/python")) continue;
        if (file.ends_with(".py") && !file.ends_with(mark)) {
            std::string folder = parent_folder_of(file);
            // The program's own folder may look like a package and be on the path all the same.
            bool is_top = parent_folder_of(folder) == "/usr/share" || parent_folder_of(folder) == "/usr/lib";
            if (is_top || !std::ranges::binary_search(files, folder + std::string(mark)))
                folders.insert(folder);
        }
        if (!file.ends_with(mark)) continue;
        std::string package = file.substr(0, file.size() - mark.size()), folder = parent_folder_of(package);
        if (!std::ranges::binary_search(files, folder + std::string(mark))) folders.insert(folder);
    }
    return folders;
}

fs::path root_of_sources(const Project& project, const Facts& facts) {
    constexpr std::size_t most_sources = 300;
    fs::path root = project.own_folder;
    std::vector<std::string> open{project.folder.string()};
    std::size_t seen = 0;
    bool looks_deeper = why_not_own(project.folder).empty();
    ScanFacts scan_facts;
    scan_facts.minor = facts.minor;
    for (std::size_t next = 0; next < open.size() && seen < most_sources; ++next) {
        std::string folder = open[next];
        for (const FolderEntry& entry : list_folder(folder)) {
            if (entry.name.starts_with('.') || entry.is_link) continue;
            std::string path = folder + "/" + entry.name;
            bool is_script = path == (project.folder / project.entry).string();
            if (entry.is_folder && open.size() < most_sources && !is_there(path + "/pyvenv.cfg") &&
                entry.name != "node_modules" && looks_deeper)
                open.push_back(path);
            if (entry.is_folder || (!entry.name.ends_with(".py") && !is_script)) continue;
            auto source = MappedFile::open(path);
            // Most sources have nothing to do with what lies above.
            bool climbs = source && source->text().find("__file__") != std::string_view::npos &&
                          (source->text().find("..") != std::string_view::npos ||
                           source->text().find("parent") != std::string_view::npos ||
                           source->text().find("dirname") != std::string_view::npos ||
                           source->text().find("pardir") != std::string_view::npos);
            if (!climbs || ++seen > most_sources) continue;
            scan_facts.file = path;
            for (const StringAt& said : scan(source->text(), "m", "", scan_facts).file_paths) {
                std::string reached =
                    said.text.ends_with('*') ? said.text.substr(0, said.text.size() - 1) : said.text;
                reached = fs::path(reached).lexically_normal().string();
                bool is_deeper = reached.size() > root.string().size() || !root.string().starts_with(reached);
                if (is_deeper && is_there(reached)) root = folder_of_both(root, reached);
            }
        }
    }
    return root;
}

/// The distribution that an installed command starts; null where the entry is somebody's own source.
const Distribution* PythonRuntime::find_application() {
    bool is_elsewhere = entry_.kind != Entry::Kind::script && !entry_.file.empty() &&
                        !places_.is_own(finder_.find(entry_.module).root);
    if (!project_.is_installed && !is_elsewhere) return nullptr;
    if (const Distribution* owner = installed_.owner_of(entry_.file)) return owner;
    std::string command = fs::path(entry_.file).filename().string();
    for (const Distribution& distribution : installed_.all())
        for (const char* group : {"console_scripts", "gui_scripts"})
            if (auto in = distribution.entry_points.find(group);
                in != distribution.entry_points.end() && in->second.contains(command))
                return &distribution;
    return nullptr;
}

bool PythonRuntime::is_of_application(const std::string& file) {
    if (std::ranges::binary_search(installed_files_, file)) return true;
    return application_ != nullptr && installed_.owner_of(file) == application_;
}

/// What goes along because it is the application's own. What its imports reach comes first: the rest are
/// companions.
void PythonRuntime::settle_own(const UnitIds& ids, UnitNeeds& needs) {
    auto main = ids.find(main_module().empty() ? "__main__" : main_module());
    if (own_settled_ || main == ids.end()) return;
    own_settled_ = true;
    Expansion out;
    want_own_files(out);
    want_declared(out);
    std::erase_if(out.needs, [&](const Need& need) {
        bool is_there = trace::is_module(need.unit.kind) && ids.contains(need.unit.name);
        if (is_there) carried_.companions.erase(need.unit.name);
        return is_there;
    });
    for (Need& need : out.needs) needs.emplace_back(main->second, std::move(need));
    std::ranges::move(out.loose_ends, std::back_inserter(ends_));
}

/// What the application declares that it needs, whether or not an import shows it.
void PythonRuntime::want_declared(Expansion& out) {
    std::vector<const Distribution*> declared;
    if (application_ != nullptr) {
        declared = required_by(*application_, {});
        declared.push_back(application_);
        // Plug-ins: what requires the application.
        for (const Distribution& one : installed_.all()) {
            auto required = required_distributions(one);
            if (&one != application_ && required.contains(application_->name)) declared.push_back(&one);
        }
    }
    const MarkerVariables& variables = installed_.variables();
    for (const std::string& line : declared_requirements(project_.own_folder)) {
        auto requirement = read_requirement(line);
        if (!requirement || !marker_holds(requirement->marker, variables, {})) continue;
        if (const Distribution* found = installed_.named(requirement->name)) {
            declared.push_back(found);
        } else {
            out.loose_ends.push_back(
                {.kind = "declared-missing",
                 .what = fmt::format("{} is declared and not installed", requirement->name),
                 .file = (project_.own_folder / "pyproject.toml").string(),
                 .line = 0,
                 .effect = "the application stops where it needs it",
                 .advice = "install the project's requirements into the environment of its runtime"});
        }
    }
    for (const Distribution* one : declared) {
        if (!carried_.reached.insert(one->name).second) continue;
        carry_distribution(*one, one->folder, {}, out);
    }
}

/// Where a path of the own code leads in the app tree; empty where nothing of the application lies there.
std::string PythonRuntime::place_of_own_path(const std::string& path) const {
    // An asset that was given an absolute place is there for who names it.
    for (const Asset& asset : project_.assets)
        if (asset.to == path || asset.to.starts_with(path + "/")) return place_of_absolute(path);
    auto below = std::ranges::lower_bound(installed_files_, path + "/");
    bool has_any = std::ranges::binary_search(installed_files_, path) ||
                   (below != installed_files_.end() && below->starts_with(path + "/"));
    if (has_any) return path == "/usr" ? "." : places_.of_installed(path);
    if (project_.is_installed || !why_not_own(project_.own_folder).empty() || !is_there(path)) return {};
    std::string folder = project_.root_folder.string();
    if (path != folder && relative_to(path, folder).empty()) return {};
    return path == folder ? application_place() : places_.of(path, folder);
}

/// A file of the application: the module of that name, as a companion, where an import would find it there;
/// else the file itself, at `place`.
void PythonRuntime::want_own_file(const std::string& file, const std::string& name, const std::string& place,
                                  const Reason& reason, Expansion& out) {
    if (!name.empty() && finder_.find(name).file == file) {
        if (excluded(name) || name == main_module()) return;
        carried_.companions.insert(name);
        out.needs.push_back({unit_of(name, finder_.find(name)), reason});
        return;
    }
    Unit unit = file_unit(kind_by_name(file), file, place);
    unit.own = true;
    out.needs.push_back({std::move(unit), reason});
}

/// What the system's package manager installed with the command that is the application.
void PythonRuntime::want_installed_files(Expansion& out) {
    Reason lies{"belongs to the application's package, with", entry_.file, 0, true};
    std::uint64_t size = 0;
    for (const std::string& file : installed_files_) {
        if (file == entry_.file) continue;
        std::error_code failed;
        size += fs::file_size(file, failed);
        if (size > most_own_bytes) {
            out.loose_ends.push_back(
                {.kind = "own-too-large",
                 .what = fmt::format("{} and what follows of the application's package stays out", file),
                 .file = entry_.file,
                 .line = 0,
                 .effect = "the application may look for it",
                 .advice = "name what it needs with --asset"});
            break;
        }
        std::string name = module_name_of(relative_to(file, system_packages_folder));
        want_own_file(file, name, places_.of_installed(file), lies, out);
    }
}

/// All files of the project's folder.
void PythonRuntime::want_own_files(Expansion& out) {
    if (!project_.own_files) return;
    if (project_.is_installed) return want_installed_files(out);
    OwnFiles own = find_own_files(project_);
    std::ranges::move(trace::loose_ends_of(own), std::back_inserter(out.loose_ends));
    Reason lies{"lies in the application's folder", own.folder, 0, true};
    for (const std::string& inner : own.files) {
        std::string file = own.folder + "/" + inner;
        if (file == entry_.file || file == project_.folder / project_.icon ||
            file == project_.folder / project_.signing_key)
            continue;
        std::string below = relative_to(file, entry_.folder);
        std::string name = below.empty() ? std::string() : module_name_of(below);
        want_own_file(file, name, places_.of(file, own.folder), lies, out);
    }
}

/// The modules of the standard library that programs of users may import.
void PythonRuntime::want_whole_library(const std::string& file, std::uint32_t line, UnitNeeds& needs,
                                       trace::UnitId from) {
    if (whole_library_) return;
    whole_library_ = true;
    Expansion out;
    Reason reason{"runs code of its users, who may import", file, line, true};
    std::vector<std::string> open;
    auto add_all = [&](const std::string& package) {
        for (const std::string& name : finder_.modules_in(package)) {
            const FoundModule& found = finder_.find(name);
            if (!places_.is_standard(found.root) || name.ends_with("__main__")) continue;
            if (std::ranges::find(passed_library, top_of(name)) != passed_library.end()) continue;
            if (name.find(".tests") != std::string::npos || name.find(".test.") != std::string::npos)
                continue;
            want(name, reason, out);
            if (found.is_package) open.push_back(name);
        }
    };
    add_all("");
    while (!open.empty()) {
        std::string package = std::move(open.back());
        open.pop_back();
        add_all(package);
    }
    for (Need& need : out.needs) needs.emplace_back(from, std::move(need));
}

} // namespace omnistasis::python
