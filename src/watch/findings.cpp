#include "watch/findings.h"

#include "native/loader_cache.h"
#include "project/own_files.h"
#include "runtimes/conventions.h"
#include "support/files.h"
#include "support/target_info.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <set>
#include <unordered_set>

namespace omnistasis::watch {

namespace {

/// Folders with what belongs to the machine, its desktop or its user, not to the application.
constexpr std::array<std::string_view, 22> of_the_machine{"/proc/",
                                                          "/sys/",
                                                          "/dev/",
                                                          "/etc/",
                                                          "/run/",
                                                          "/tmp/",
                                                          "/var/",
                                                          "/usr/share/fonts/",
                                                          "/usr/share/icons/",
                                                          "/usr/share/mime/",
                                                          "/usr/share/locale/",
                                                          "/usr/share/X11/",
                                                          "/usr/share/themes/",
                                                          "/usr/share/zoneinfo/",
                                                          "/usr/share/fontconfig/",
                                                          "/usr/share/glvnd/",
                                                          "/usr/share/drirc.d/",
                                                          "/usr/share/pixmaps/",
                                                          "/usr/local/share/fonts/",
                                                          "/usr/lib/locale/",
                                                          "/usr/share/glib-2.0/",
                                                          "/usr/share/ca-certificates/"};

bool is_below(const std::string& file, const std::string& folder) {
    return !relative_to(file, folder).empty();
}

/// The line of a source file, without the blanks around it.
std::string source_line(const std::string& file, std::uint32_t number) {
    auto text = MappedFile::open(file);
    if (!text) return {};
    std::string_view rest = text->text();
    for (std::uint32_t line = 1; line < number && !rest.empty(); ++line)
        rest.remove_prefix(std::min(rest.find('\n'), rest.size() - 1) + 1);
    std::string_view line = rest.substr(0, rest.find('\n'));
    line.remove_prefix(std::min(line.find_first_not_of(" \t"), line.size()));
    return std::string(line);
}

class Comparison {
  public:
    Comparison(const Project& project, trace::Runtime& runtime, const trace::Graph& graph,
               const native::HostLibraries& host)
        : project_(project), watches_(*trace::as<trace::WatchesImports>(runtime)),
          packages_(trace::as<trace::KnowsPackages>(runtime)), host_(host) {
        for (const trace::Unit& unit : graph.units) {
            names_.insert(unit.name);
            if (!unit.file.empty()) files_.insert(real_path(unit.file));
            places_.insert(unit.place);
        }
        starters_ = {"/bin/sh", "/usr/bin/sh", "/usr/bin/dash", real_path(runtime.program().string())};
    }

    void module(const trace::SeenModule& seen) {
        if (names_.contains(seen.name)) return;
        // What new modules import is for the next trace, which knows those.
        if (!seen.file.empty() && !files_.contains(real_path(seen.file))) return;
        std::string from = seen.file.empty() ? "" : fmt::format("{}:{}", shown(seen.file), seen.line);
        Rehearsed one;
        one.modules.insert({seen.name, from});
        // Some modules are made while the program runs, and can be carried by no file.
        bool is_new = std::ranges::any_of(watches_.recall(one).needs, [&](const trace::Need& need) {
            return !names_.contains(need.unit.name);
        });
        if (!is_new) return;
        add(SeenKind::module, seen.name, from, why_unknown(seen));
        findings_.facts.merge(one);
    }

    void read(const std::string& file) {
        std::string real = real_path(file);
        std::string name = fs::path(file).filename().string();
        if (watches_.is_code_file(file) || host_.find(name) != nullptr || host_.is_driver(name)) return;
        // That the file is carried somewhere is not enough: the built program looks at one place.
        std::string place = is_library_name(name) ? std::string() : watches_.place_asked_for(file);
        if (place.empty() ? files_.contains(real) : places_.contains(place)) return;
        if (is_own(file)) {
            std::string inner = relative_to(file, project_.folder.string());
            add(SeenKind::file, inner, "", "its path is computed");
            findings_.facts.files.insert({"", inner});
        } else if (auto inner = package_file(file)) {
            add(SeenKind::file, inner->package + "/" + inner->path, "", "its path is computed, in a package");
            findings_.facts.files.insert(*inner);
        } else if (is_library_name(name)) {
            const auto& known = libraries_.find(name);
            bool shipped_under_real_name = known.empty() || files_.contains(real_path(known.front()));
            if (shipped_under_real_name) return;
            add(SeenKind::library, name, "", "it is opened by name while the application runs");
            findings_.facts.libraries.insert(name);
        }
    }

    void program(const std::string& file) {
        std::string real = real_path(file);
        bool is_runtime = starters_.contains(file) || starters_.contains(real);
        if (is_runtime || files_.contains(real) || project_.rehearsed.programs.contains(file)) return;
        if (is_own(file) || package_file(file)) return read(file);
        add(SeenKind::program, file, "", "it is outside of the project: users need it too");
        findings_.facts.programs.insert(file);
    }

    std::optional<Rehearsed::File> package_file(const std::string& file) const {
        return packages_ != nullptr ? packages_->package_file(file) : std::nullopt;
    }

    void written(const std::string& file) {
        std::error_code ignored;
        if (!is_own(file) || watches_.is_code_file(file) || !fs::is_regular_file(file, ignored)) return;
        std::string inner = relative_to(file, project_.folder.string());
        if (project_.rehearsed.written.contains(inner) || project_.is_state(inner)) return;
        add(SeenKind::written, inner, "", "a built application keeps it only as state: --state");
        findings_.facts.written.insert(inner);
    }

    Findings finish() {
        std::ranges::stable_sort(findings_.rows, {},
                                 [](const Finding& one) { return std::tie(one.kind, one.name); });
        return std::move(findings_);
    }

  private:
    void add(SeenKind kind, std::string name, std::string from, std::string why) {
        if (seen_.emplace(kind, name).second)
            findings_.rows.push_back({kind, std::move(name), std::move(from), std::move(why)});
    }

    /// A file of the project: not of an environment or a repository in it, and not what was built.
    bool is_own(const std::string& file) const {
        std::string folder = project_.folder.string();
        if (!is_below(file, folder)) return false;
        if (is_below(file, project_.output_folder(project_.targets.front()).string())) return false;
        fs::path inner = fs::path(file).lexically_relative(folder);
        fs::path above = folder;
        for (const fs::path& part : inner) {
            std::string name = part.string();
            if (name.starts_with('.') || name == "out" || any_names(&Conventions::cache_folders, name))
                return false;
            above /= part;
            if (holds_packages(above)) return false;
        }
        return file != project_.rehearsed_file && file != project_.project_file;
    }

    std::string shown(const std::string& file) const {
        return is_below(file, project_.folder.string())
                   ? fs::path(file).lexically_relative(project_.folder).string()
                   : package_path(file);
    }
    std::string package_path(const std::string& file) const {
        auto inner = package_file(file);
        return inner ? inner->package + "/" + inner->path : fs::path(file).filename().string();
    }

    std::string why_unknown(const trace::SeenModule& seen) const {
        if (seen.file.empty()) return "native code imports it, or code without a file";
        std::string line = source_line(seen.file, seen.line);
        bool statement = line.starts_with("import ") || line.starts_with("from ") ||
                         line.find("import_") == std::string::npos;
        return statement && line.find("import ") != std::string::npos
                   ? "the trace, lore or an exclusion takes the import as one that is not made"
                   : "its name is computed there";
    }

    const Project& project_;
    trace::WatchesImports& watches_;
    trace::KnowsPackages* packages_; ///< null where the runtime knows none
    const native::HostLibraries& host_;
    native::LoaderCache libraries_ = native::LoaderCache::read();
    std::unordered_set<std::string> names_;
    std::unordered_set<std::string> files_; ///< real paths
    std::unordered_set<std::string> places_;
    std::unordered_set<std::string> starters_;
    std::set<std::pair<SeenKind, std::string>> seen_;
    Findings findings_;
};

} // namespace

Findings findings_of(const Project& project, trace::Runtime& runtime, const trace::Graph& graph,
                     const native::HostLibraries& host, const std::vector<trace::SeenModule>& modules,
                     const SeenFiles& files) {
    Comparison comparison(project, runtime, graph, host);
    for (const trace::SeenModule& module : modules) comparison.module(module);
    auto concerns_us = [](const std::string& file) {
        bool is_converter = std::ranges::any_of(library_folders(host_info()), [&](const std::string& folder) {
            return is_below(file, folder + "/gconv");
        });
        return !is_converter && std::ranges::none_of(of_the_machine, [&](std::string_view start) {
            return file.starts_with(start);
        });
    };
    for (const std::string& file : files.read)
        if (concerns_us(file) || is_below(file, project.root_folder.string()) ||
            comparison.package_file(file))
            comparison.read(file);
    for (const std::string& file : files.written) comparison.written(file);
    for (const std::string& file : files.programs) comparison.program(file);
    return comparison.finish();
}

} // namespace omnistasis::watch
