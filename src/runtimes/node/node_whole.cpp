// What goes along although no code names it: all files of the project's own folder, and of packages that are
// small. What nothing reaches is carried as it is: other packages that only it would load do not come with
// it.
#include "project/own_files.h"
#include "runtimes/node/node_tracing.h"
#include "support/files.h"
#include "trace/own_ends.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <unordered_set>

namespace omnistasis::node {

namespace {

/// Bytes up to which a package goes along whole.
constexpr std::uint64_t whole_bound = 10u << 20;

constexpr std::array<std::string_view, 14> passed_folders{
    "node_modules", "test",     "tests",     "__tests__",  "spec",     "docs",    "doc",
    "example",      "examples", "benchmark", "benchmarks", "coverage", "website", "man"};
constexpr std::array<std::string_view, 14> passed_endings{".map",  ".ts", ".mts",      ".cts", ".tsx",
                                                          ".flow", ".md", ".markdown", ".cc",  ".h",
                                                          ".gyp",  ".c",  ".cpp",      ".tgz"};

struct Part {
    std::string file;
    std::uint64_t size = 0;
};

void collect(Resolver& resolver, const std::string& folder, int depth, std::vector<Part>& parts) {
    if (depth > 30) return;
    auto listing = resolver.list(folder);
    for (const auto& [name, entry] : listing->entries) {
        if (name.starts_with('.')) continue;
        std::string path = folder + "/" + name;
        if (entry.is_folder) {
            if (std::ranges::find(passed_folders, name) == passed_folders.end())
                collect(resolver, path, depth + 1, parts);
            continue;
        }
        if (std::ranges::any_of(passed_endings, [&](std::string_view end) { return name.ends_with(end); }))
            continue;
        std::error_code failed;
        std::uint64_t size = fs::file_size(path, failed);
        if (!failed) parts.push_back({path, size});
    }
}

} // namespace

std::vector<std::pair<trace::UnitId, Need>> NodeRuntime::settle(const std::vector<Unit>& units) {
    std::vector<std::pair<trace::UnitId, Need>> needs;
    if (!units.empty() && project_.own_files && !own_settled_) settle_own_files(units, needs);
    if (!units.empty() && !declared_settled_) settle_declared(units, needs);
    if (!project_.whole_packages) return needs;
    // A package may have several places; each is one of its own.
    std::map<std::string, trace::UnitId> reached;
    std::unordered_set<std::string_view> files;
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        const Unit& unit = units[id];
        files.insert(unit.place);
        if (unit.own || unit.file.empty() || unit.kind == UnitKind::program) continue;
        std::string root = placement_.package_root(unit.file);
        std::string inner = relative_to(unit.file, root);
        if (inner.empty() || !unit.place.ends_with("/" + inner)) continue;
        std::string place = unit.place.substr(0, unit.place.size() - inner.size() - 1);
        auto [entry, is_new] = reached.try_emplace(root + '\n' + place, id);
        if (!is_new && unit.name < units[entry->second].name) entry->second = id;
    }
    for (const auto& [key, id] : reached) {
        if (!whole_.insert(key).second) continue;
        std::string root = key.substr(0, key.find('\n')), place = key.substr(key.find('\n') + 1);
        std::vector<Part> parts;
        collect(resolver_, root, 0, parts);
        std::uint64_t size = 0;
        for (const Part& part : parts) size += part.size;
        bool is_application = relative_to(entry_, root).size() > 0;
        if (size > (is_application ? most_own_bytes : whole_bound)) continue;
        for (const Part& part : parts) {
            std::string to = place + part.file.substr(root.size());
            if (files.contains(to)) continue;
            Unit unit = unit_of(part.file, to);
            if (is_excluded(unit.name) || is_excluded(unit.part)) continue;
            bool native = unit.kind == UnitKind::extension || unit.kind == UnitKind::native;
            if (native && !is_addon_for_target(part.file)) continue;
            if (!native) unit.kind = UnitKind::data;
            needs.emplace_back(
                id,
                Need{std::move(unit), {"goes along with its whole package, with", units[id].file, 0, true}});
        }
    }
    return needs;
}

/// A package that the application says that it needs, whether or not a request shows it.
void NodeRuntime::want_declared(const std::string& name, const Unit& main, const Reason& reason,
                                bool required, Expansion& out) {
    if (is_excluded(name)) return;
    for (bool is_import : {false, true}) {
        Found found = resolver_.resolve(name, main.file, is_import);
        if (found.kind == Found::Kind::built_in) return;
        if (found.kind == Found::Kind::file) return want_file(found, main, name, reason, out);
    }
    // One that has no main file: only programs, types or data.
    for (fs::path at = fs::path(main.file).parent_path(); at.has_relative_path(); at = at.parent_path()) {
        std::string folder = at.string();
        std::string described = folder + "/node_modules/" + name + "/package.json";
        if (!resolver_.has_folder(folder + "/node_modules/" + name) || !resolver_.has_file(described))
            continue;
        std::string real = resolver_.real(described);
        out.needs.push_back({unit_of(real, placement_.place_of(real, main.file, main.place, name)), reason});
        return;
    }
    if (required)
        out.loose_ends.push_back({"declared-missing", fmt::format("{} is declared and not installed", name),
                                  reason.file, 0, "the application stops where it needs it",
                                  "run `npm install` in the project"});
}

/// What the application's package.json names: its dependencies; and of what it needs for development only
/// what an own file names too, as presets and plug-ins in configurations.
void NodeRuntime::settle_declared(const std::vector<Unit>& units,
                                  std::vector<std::pair<trace::UnitId, Need>>& needs) {
    declared_settled_ = true;
    auto main = std::ranges::find(units, entry_, &Unit::file);
    if (main == units.end()) return;
    auto package = resolver_.package_in(placement_.package_root(entry_));
    if (!package) return;
    Expansion out;
    Reason declared{"is declared in package.json by", package->file, 0, true};
    for (const std::string& name : package->needs)
        want_declared(name, *main, declared,
                      std::ranges::find(package->may_need, name) == package->may_need.end(), out);
    for (const std::string& name : package->may_need) want_declared(name, *main, declared, false, out);
    trace::UnitId id = static_cast<trace::UnitId>(main - units.begin());
    for (Need& need : out.needs) needs.emplace_back(id, std::move(need));
    std::ranges::move(out.loose_ends, std::back_inserter(ends_));
}

void NodeRuntime::settle_own_files(const std::vector<Unit>& units,
                                   std::vector<std::pair<trace::UnitId, Need>>& needs) {
    own_settled_ = true;
    // A program among the packages is one of them.
    if (entry_.find("/node_modules/") != std::string::npos) return;
    OwnFiles own = find_own_files(project_);
    ends_ = trace::loose_ends_of(own);
    std::unordered_set<std::string_view> there;
    trace::UnitId main = 0;
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        there.insert(units[id].file);
        if (units[id].file == entry_) main = id;
    }
    for (const std::string& inner : own.files) {
        std::string file = real_path(own.folder + "/" + inner);
        if (there.contains(file) || !placement_.is_own(file)) continue;
        Unit unit = unit_of(file, placement_.own_place(file));
        if (is_excluded(unit.name)) continue;
        bool native = unit.kind == UnitKind::extension || unit.kind == UnitKind::native;
        if (native && !is_addon_for_target(file)) continue;
        if (!native) unit.kind = UnitKind::data;
        needs.emplace_back(main, Need{std::move(unit), {"lies in the folder of", entry_, 0, true}});
    }
}

} // namespace omnistasis::node
