// The application's own goes along whole: it is small, and it is what people lose. Own is what lies in the
// project's folder; of a command that somebody installed, the distribution that it starts.
#include "runtimes/python/own_needs.h"

#include "project/assets.h"
#include "runtimes/python/package_data.h"
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

void OwnNeeds::settle_own(const UnitIds& ids, UnitNeeds& needs) {
    auto main = ids.find(ground_.main_module().empty() ? "__main__" : ground_.main_module());
    if (own_settled_ || main == ids.end()) return;
    own_settled_ = true;
    Expansion out;
    want_own_files(out);
    want_declared(out);
    std::erase_if(out.needs, [&](const Need& need) {
        bool is_there = trace::is_module(need.unit.kind) && ids.contains(need.unit.name);
        if (is_there) companions_.remove(need.unit.name);
        return is_there;
    });
    for (Need& need : out.needs) needs.emplace_back(main->second, std::move(need));
    std::ranges::move(out.loose_ends, std::back_inserter(gathered_.ends));
}

/// What the application declares that it needs, whether or not an import shows it.
void OwnNeeds::want_declared(Expansion& out) {
    std::vector<const Distribution*> declared;
    if (ground_.application != nullptr) {
        declared = ground_.required_by(*ground_.application, {});
        declared.push_back(ground_.application);
        // Plug-ins: what requires the application.
        for (const Distribution& one : ground_.installed.all()) {
            auto required = required_distributions(one);
            if (&one != ground_.application && required.contains(ground_.application->name))
                declared.push_back(&one);
        }
    }
    const MarkerVariables& variables = ground_.installed.variables();
    for (const std::string& line : declared_requirements(ground_.project.own_folder)) {
        auto requirement = read_requirement(line);
        if (!requirement || !marker_holds(requirement->marker, variables, {})) continue;
        if (const Distribution* found = ground_.installed.named(requirement->name)) {
            declared.push_back(found);
        } else {
            out.loose_ends.push_back(
                {.kind = "declared-missing",
                 .what = fmt::format("{} is declared and not installed", requirement->name),
                 .file = (ground_.project.own_folder / "pyproject.toml").string(),
                 .line = 0,
                 .effect = "the application stops where it needs it",
                 .advice = "install the project's requirements into the environment of its runtime"});
        }
    }
    for (const Distribution* one : declared) {
        if (!companions_.reach(one->name)) continue;
        companions_.carry_distribution(*one, one->folder, {}, out);
    }
}

/// Where a path of the own code leads in the app tree; empty where nothing of the application lies there.
std::string OwnNeeds::place_of_own_path(const std::string& path) const {
    // An asset that was given an absolute place is there for who names it.
    for (const Asset& asset : ground_.project.assets)
        if (asset.to == path || asset.to.starts_with(path + "/")) return place_of_absolute(path);
    auto below = std::ranges::lower_bound(ground_.installed_files, path + "/");
    bool has_any = std::ranges::binary_search(ground_.installed_files, path) ||
                   (below != ground_.installed_files.end() && below->starts_with(path + "/"));
    if (has_any) return path == "/usr" ? "." : ground_.places.of_installed(path);
    if (ground_.project.is_installed || !why_not_own(ground_.project.own_folder).empty() || !is_there(path))
        return {};
    std::string folder = ground_.project.root_folder.string();
    if (path != folder && relative_to(path, folder).empty()) return {};
    return path == folder ? ground_.application_place() : ground_.places.of(path, folder);
}

/// A file of the application: the module of that name, as a companion, where an import would find it there;
/// else the file itself, at `place`.
void OwnNeeds::want_own_file(const std::string& file, const std::string& name, const std::string& place,
                             const Reason& reason, Expansion& out) {
    if (!name.empty() && ground_.finder.find(name).file == file) {
        if (ground_.excluded(name) || name == ground_.main_module()) return;
        companions_.add(name);
        out.needs.push_back({ground_.unit_of(name, ground_.finder.find(name)), reason});
        return;
    }
    Unit unit = file_unit(kind_by_name(file), file, place);
    unit.own = true;
    out.needs.push_back({std::move(unit), reason});
}

/// What the system's package manager installed with the command that is the application.
void OwnNeeds::want_installed_files(Expansion& out) {
    Reason lies{"belongs to the application's package, with", ground_.entry.file, 0, true};
    std::uint64_t size = 0;
    for (const std::string& file : ground_.installed_files) {
        if (file == ground_.entry.file) continue;
        std::error_code failed;
        size += fs::file_size(file, failed);
        if (size > most_own_bytes) {
            out.loose_ends.push_back(
                {.kind = "own-too-large",
                 .what = fmt::format("{} and what follows of the application's package stays out", file),
                 .file = ground_.entry.file,
                 .line = 0,
                 .effect = "the application may look for it",
                 .advice = "name what it needs with --asset"});
            break;
        }
        std::string name = module_name_of(relative_to(file, system_packages_folder));
        want_own_file(file, name, ground_.places.of_installed(file), lies, out);
    }
}

/// All files of the project's folder.
void OwnNeeds::want_own_files(Expansion& out) {
    if (!ground_.project.own_files) return;
    if (ground_.project.is_installed) return want_installed_files(out);
    const OwnFiles& own = ground_.own_files();
    std::ranges::move(trace::loose_ends_of(own), std::back_inserter(out.loose_ends));
    Reason lies{"lies in the application's folder", own.folder, 0, true};
    for (const std::string& inner : own.files) {
        std::string file = own.folder + "/" + inner;
        if (file == ground_.entry.file || file == ground_.project.folder / ground_.project.icon ||
            file == ground_.project.folder / ground_.project.signing_key)
            continue;
        std::string below = relative_to(file, ground_.entry.folder);
        std::string name = below.empty() ? std::string() : module_name_of(below);
        want_own_file(file, name, ground_.places.of(file, own.folder), lies, out);
    }
}

void OwnNeeds::want_whole_library(const std::string& file, std::uint32_t line, UnitNeeds& needs,
                                  trace::UnitId from) {
    if (whole_library_) return;
    whole_library_ = true;
    Expansion out;
    Reason reason{"runs code of its users, who may import", file, line, true};
    std::vector<std::string> open;
    auto add_all = [&](const std::string& package) {
        for (const std::string& name : ground_.finder.modules_in(package)) {
            const FoundModule& found = ground_.finder.find(name);
            if (!ground_.places.is_standard(found.root) || name.ends_with("__main__")) continue;
            if (std::ranges::find(passed_library, top_of(name)) != passed_library.end()) continue;
            if (name.find(".tests") != std::string::npos || name.find(".test.") != std::string::npos)
                continue;
            imports_.want(name, reason, out);
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

bool OwnNeeds::want_own_path(const Unit& unit, const std::string& path, std::uint32_t line, Expansion& out) {
    if (std::string place = place_of_own_path(path); !place.empty()) {
        if (!ground_.project.is_installed && is_file(path))
            out.needs.push_back(
                {file_unit(kind_by_name(path), path, place), {"reads", unit.file, line, true}});
        std::lock_guard lock(gathered_.mutex);
        gathered_.moved[unit.name][path] = place;
        return true;
    }
    bool elsewhere =
        (path.starts_with("/home/") || path.starts_with("/opt/") || path.starts_with("/root/")) &&
        relative_to(path, ground_.facts.prefix).empty() && is_there(path);
    if (elsewhere)
        out.loose_ends.push_back(
            {.kind = "absolute-path",
             .what = fmt::format("`{}` is a path of this machine", path),
             .file = unit.file,
             .line = line,
             .effect = "other machines do not have it",
             .advice = "put the file into the project and name it relative to the source, or use --asset"});
    return elsewhere;
}

} // namespace omnistasis::python
