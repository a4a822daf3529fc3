// What goes along although no code names it: all files of the project's own folder, and of packages that are
// small. What nothing reaches is carried as it is: other packages that only it would load do not come with
// it.
#include "project/own_files.h"
#include "runtimes/node/node_runtime.h"
#include "support/files.h"
#include "trace/own_ends.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <set>
#include <unordered_set>

namespace omnistasis::node {

namespace {

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
    for (const auto& [entry_name, entry] : listing->entries) {
        const std::string& name = entry_name; // clang 14 lets no lambda have the other
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

UnitNeeds NodeRuntime::finalize(const std::vector<Unit>& units) {
    UnitNeeds needs;
    if (!units.empty() && project_.own_files && !own_settled_) settle_own_files(units, needs);
    if (!units.empty() && !declared_settled_) settle_declared(units, needs);
    if (needs.empty()) settle_named(units, needs);
    if (project_.whole_packages) settle_small_packages(units, needs);
    // What can be known without running anything comes first.
    if (needs.empty()) settle_trials(units, needs);
    return needs;
}

std::vector<trace::LooseEnd> NodeRuntime::final_loose_ends() {
    std::vector<trace::LooseEnd> ends = ends_;
    if (!trial_trouble_.empty()) ends.push_back(trace::packages_not_asked(trial_trouble_, facts_.program));
    return ends;
}

void NodeRuntime::settle_small_packages(const std::vector<Unit>& units, UnitNeeds& needs) {
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
        std::vector<Unit> all;
        std::uint64_t size = 0, native_size = 0;
        for (const Part& part : parts) {
            all.push_back(unit_of(part.file, place + part.file.substr(root.size())));
            (trace::is_native(all.back().kind) ? native_size : size) += part.size;
        }
        // What is small without its native files goes along without those that nothing reached.
        std::uint64_t most = relative_to(entry_, root).empty() ? most_package_bytes : most_own_bytes;
        if (size > most) continue;
        for (Unit& unit : all) {
            if (files.contains(unit.place) || is_excluded(unit.name) || is_excluded(unit.part)) continue;
            bool native = trace::is_native(unit.kind);
            if (native && (size + native_size > most || !is_addon_for_target(unit.file))) continue;
            if (!native) unit.kind = UnitKind::data;
            needs.emplace_back(
                id,
                Need{std::move(unit), {"goes along with its whole package, with", units[id].file, 0, true}});
        }
    }
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
    std::string folder = resolver_.package_folder(name, main.file);
    if (!folder.empty() && resolver_.has_file(folder + "/package.json")) {
        std::string real = resolver_.real(folder + "/package.json");
        out.needs.push_back({unit_of(real, placement_.place_of(real, main.file, main.place, name)), reason});
        return;
    }
    if (required)
        out.loose_ends.push_back({.kind = "declared-missing",
                                  .what = fmt::format("{} is declared and not installed", name),
                                  .file = reason.file,
                                  .line = 0,
                                  .effect = "the application stops where it needs it",
                                  .advice = "run `npm install` in the project"});
}

/// What the application's package.json names: its dependencies. Of what the project around a tool names, the
/// tool's plug-ins and presets: they say whose parts they are.
void NodeRuntime::settle_declared(const std::vector<Unit>& units, UnitNeeds& needs) {
    declared_settled_ = true;
    auto main = std::ranges::find(units, entry_, &Unit::file);
    std::string root = placement_.package_root(entry_);
    auto package = resolver_.package_in(root);
    if (main == units.end() || !package) return;
    Expansion out;
    Reason declared{"is declared in package.json by", package->file, 0, true};
    std::set<std::string> optional{package->may_need.begin(), package->may_need.end()};
    for (const std::string& name : package->needs)
        want_declared(name, *main, declared, !optional.contains(name), out);
    for (const std::string& name : optional) want_declared(name, *main, declared, false, out);

    std::set<std::string> of_application{package->needs.begin(), package->needs.end()};
    of_application.insert(package->peers.begin(), package->peers.end());
    of_application.insert(package->name);
    auto around = resolver_.package_in(placement_.base());
    if (around == nullptr) around = package;
    Reason part{"is a part of the application for", around->file, 0, true};
    for (const auto* names : {&around->needs, &around->may_need, &around->needs_for_development})
        for (const std::string& name : *names) {
            std::string folder = placement_.base() + "/node_modules/" + name;
            auto other = resolver_.has_folder(folder) ? resolver_.package_in(folder) : nullptr;
            bool is_part = other && std::ranges::any_of(other->peers, [&](const std::string& peer) {
                               return of_application.contains(peer);
                           });
            if (is_part) want_declared(name, *main, part, false, out);
        }
    trace::UnitId id = static_cast<trace::UnitId>(main - units.begin());
    for (Need& need : out.needs) needs.emplace_back(id, std::move(need));
    std::ranges::move(out.loose_ends, std::back_inserter(ends_));
}

namespace {

/// What stands between quotation marks around each place where `name` begins a text: the name itself, or a
/// path in the package.
std::set<std::string> specifiers_in(std::string_view text, const std::string& name) {
    std::set<std::string> found;
    for (std::size_t at = text.find(name); at != std::string_view::npos; at = text.find(name, at + 1)) {
        char quote = at == 0 ? ' ' : text[at - 1];
        if (quote != '"' && quote != '\'' && quote != '`') continue;
        std::string_view rest = text.substr(at, 200);
        std::size_t end = rest.find(quote);
        if (end == std::string_view::npos || (end > name.size() && rest[name.size()] != '/')) continue;
        std::string_view one = rest.substr(0, end);
        if (one.find_first_of(" $*{\n") == std::string_view::npos) found.emplace(one);
    }
    return found;
}

} // namespace

/// Packages that a package of others declares and that no request leads to: where its files name them, by a
/// text that goes to who knows where, they may be loaded.
void NodeRuntime::settle_named(const std::vector<Unit>& units, UnitNeeds& needs) {
    std::set<std::string> carried; // folders of packages
    std::map<std::string, std::vector<trace::UnitId>> scripts;
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        if (units[id].file.empty() || units[id].kind == UnitKind::program) continue;
        std::string root = placement_.package_root(units[id].file);
        carried.insert(root);
        bool may_name = units[id].kind == UnitKind::script ||
                        (units[id].file.ends_with(".json") && !units[id].file.ends_with("/package.json"));
        if (may_name && !units[id].own) scripts[root].push_back(id);
    }
    for (const auto& [root, ids] : scripts) {
        if (!searched_.insert(root).second) continue;
        auto package = resolver_.package_in(root);
        if (!package) continue;
        std::vector<std::string> unreached;
        for (const std::string& name : package->needs) {
            Found found = resolver_.resolve(name + "/package.json", root + "/package.json", false);
            std::string folder = found.kind == Found::Kind::file ? placement_.package_root(found.file) : "";
            if (!carried.contains(folder) && !is_excluded(name)) unreached.push_back(name);
        }
        for (trace::UnitId id : ids) {
            if (unreached.empty()) break;
            auto source = MappedFile::open(units[id].file);
            if (!source) continue;
            Expansion out;
            for (const std::string& name : unreached)
                for (const std::string& one : specifiers_in(source->text(), name))
                    want_declared(one, units[id], {"names", units[id].file, 0, true}, false, out);
            for (Need& need : out.needs) needs.emplace_back(id, std::move(need));
        }
    }
}

void NodeRuntime::settle_own_files(const std::vector<Unit>& units, UnitNeeds& needs) {
    own_settled_ = true;
    // A program among the packages is one of them.
    if (entry_.find("/node_modules/") != std::string::npos) return;
    OwnFiles own = find_own_files(project_);
    ends_ = trace::loose_ends_of(own);
    std::unordered_set<std::string_view> there;
    trace::UnitId main = 0;
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        there.insert(units[id].place);
        if (units[id].file == entry_) main = id;
    }
    for (const std::string& inner : own.files) {
        std::string file = real_path(own.folder + "/" + inner);
        // A linked package of the project lies where its link is, and is found by paths where it is itself.
        Unit unit = unit_of(file, placement_.own_place(file));
        if (there.contains(unit.place) || !placement_.is_own(file)) continue;
        if (is_excluded(unit.name)) continue;
        bool native = unit.kind == UnitKind::extension || unit.kind == UnitKind::native;
        if (native && !is_addon_for_target(file)) continue;
        if (!native) unit.kind = UnitKind::data;
        needs.emplace_back(main, Need{std::move(unit), {"lies in the folder of", entry_, 0, true}});
    }
}

} // namespace omnistasis::node
