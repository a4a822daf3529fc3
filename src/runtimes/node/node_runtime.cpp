#include "runtimes/node/node_runtime.h"

#include "native/native_kind.h"
#include "project/own_files.h"
#include "runtimes/node/scan_cache.h"
#include "support/files.h"
#include "support/near_match.h"
#include "support/pattern.h"

#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace omnistasis::node {

namespace {

constexpr std::size_t most_files_of_family = 5000;

bool is_script(const std::string& file) {
    return file.ends_with(".js") || file.ends_with(".cjs") || file.ends_with(".mjs");
}

/// Names of native libraries and programs; most files are neither, and are not opened to see it.
bool may_be_native(const std::string& file) {
    std::string name = base_name(file);
    return name.find('.') == std::string::npos || is_library_name(name) || name.ends_with(".dll") ||
           name.ends_with(".exe") || name.ends_with(".dylib");
}

/// A text with unknown parts as a pattern.
std::string pattern_of(const std::string& text) {
    std::string pattern;
    for (char c : text)
        if (c == unknown)
            pattern += "**";
        else
            pattern += c;
    return pattern;
}

/// As a person would write it: with the unknown parts as stars.
std::string shown(const std::string& text) {
    std::string out;
    for (char c : text) {
        if (c == unknown)
            out += '*';
        else if (c == own_folder)
            out += '.';
        else if (c != own_file)
            out += c;
    }
    return out;
}

std::string verb_of(RequestKind kind) {
    switch (kind) {
    case RequestKind::require:
        return "requires";
    case RequestKind::import_static:
    case RequestKind::import_dynamic:
        return "imports";
    case RequestKind::resolve:
        return "looks up";
    case RequestKind::start:
        return "starts";
    case RequestKind::file:
    case RequestKind::mention:
        return "names the path of";
    }
    return "uses";
}

} // namespace

namespace {

/// The folder that holds the project and all that its sources reach by paths: "../lib", path.join(__dirname,
/// "../data").
std::string root_of_sources(const Project& project, Store& store, Resolver& resolver) {
    std::string entry = real_path((project.folder / project.entry).string());
    fs::path root = real_path(project.own_folder.string());
    if (entry.find("/node_modules/") != std::string::npos) return real_path(project.folder.string());
    constexpr std::size_t most_sources = 2000;
    std::vector<std::string> open{entry};
    std::set<std::string> seen{entry};
    for (std::size_t next = 0; next < open.size() && next < most_sources; ++next) {
        auto scan = scan_file(open[next], store);
        if (!scan) continue;
        for (const Request& request : scan->requests) {
            std::string text = request.text.substr(0, request.text.find(unknown));
            if (text.empty()) continue;
            std::string path;
            if (text.front() == own_folder)
                path = parent_folder_of(open[next]) + text.substr(1);
            else if (text.starts_with("./") || text.starts_with("../"))
                path = parent_folder_of(open[next]) + "/" + text;
            if (path.empty()) continue;
            path = fs::path(path).lexically_normal().string();
            Found found = resolver.find_file(path);
            std::string reached = found.kind == Found::Kind::file ? found.file : path;
            if (reached.find("/node_modules/") != std::string::npos || !is_there(reached)) continue;
            bool is_above = root.string().starts_with(reached);
            if (!is_above) root = folder_of_both(root, reached);
            if (is_script(reached) && seen.insert(reached).second) open.push_back(reached);
        }
    }
    return root.string();
}

} // namespace

NodeRuntime::NodeRuntime(Project project, Facts facts, Lore lore, std::filesystem::path helpers,
                         std::shared_ptr<Store> store)
    : project_(std::move(project)), facts_(std::move(facts)), lore_(std::move(lore)),
      helpers_(std::move(helpers)), store_(std::move(store)), resolver_(facts_.version),
      placement_(root_of_sources(project_, *store_, resolver_)) {
    project_.folder = real_path(project_.folder.string());
    entry_ = real_path((project_.folder / project_.entry).string());
    // #!/usr/bin/env -S node --option
    if (auto text = MappedFile::open(entry_); text && text->text().starts_with("#!")) {
        std::string_view line = text->text().substr(0, text->text().find('\n'));
        std::size_t node = line.rfind("node ");
        for (std::size_t at = node == std::string_view::npos ? line.size() : node + 5; at < line.size();) {
            std::size_t end = std::min(line.find(' ', at), line.size());
            if (end > at && line[at] == '-') entry_options_.emplace_back(line.substr(at, end - at));
            at = end + 1;
        }
    }
}

bool NodeRuntime::is_excluded(const std::string& name) const {
    return std::ranges::any_of(project_.exclude, [&](const std::string& pattern) {
        return fits_pattern(name, pattern) || (!is_pattern(pattern) && name.starts_with(pattern + "/"));
    });
}

Unit NodeRuntime::unit_of(const std::string& file, const std::string& place) const {
    Unit unit;
    unit.file = file;
    unit.place = place;
    unit.name = place.starts_with("app/") ? place.substr(4) : place;
    if (unit.name.starts_with("node_modules/")) unit.name.erase(0, 13);
    unit.own = placement_.is_own(file);
    std::size_t at = place.rfind("/node_modules/");
    if (at != std::string::npos) {
        std::string inner = place.substr(at + 14);
        unit.part = package_name(inner);
    } else {
        unit.part = unit.name.substr(0, unit.name.find('/'));
    }
    if (is_script(file))
        unit.kind = UnitKind::script;
    else if (file.ends_with(".node"))
        unit.kind = UnitKind::extension;
    else if (may_be_native(file) && native::kind_of(file))
        unit.kind = UnitKind::native;
    return unit;
}

Result<Expansion> NodeRuntime::roots() {
    Expansion out;
    Unit main = unit_of(entry_, placement_.own_place(entry_));
    main.kind = UnitKind::script;
    out.needs.push_back({main, {}});
    out.needs.push_back({{UnitKind::program, "node", facts_.program, program_place(), false, true}, {}});
    for (const std::string& text : project_.include) {
        Expansion found;
        want_specifier(text, main, {"is named by --include or trace.include", "", 0, false}, found);
        if (found.needs.empty())
            return fail(
                ErrorKind::bad_input, fmt::format("cannot find `{}`", text), "trace.include or --include",
                "it is neither a package nor a file of the project",
                "name a package as code would, or a file or pattern relative to the project's folder");
        for (Need& need : found.needs) out.needs.push_back(std::move(need));
    }
    Expansion recalled = recall(project_.rehearsed);
    std::ranges::move(recalled.needs, std::back_inserter(out.needs));
    std::ranges::move(recalled.loose_ends, std::back_inserter(out.loose_ends));
    return out;
}

/// A package, or a path or pattern relative to the project's folder.
void NodeRuntime::want_specifier(const std::string& text, const Unit& from, const Reason& reason,
                                 Expansion& out) {
    std::string path = text.starts_with("./") ? text.substr(2) : text;
    if (is_pattern(path)) {
        want_folder(from, project_.folder.string(), (project_.folder / path).string(), reason, out);
        return;
    }
    fs::path file = project_.folder / path;
    if (resolver_.has_folder(parent_folder_of(file.string())) && is_file(file)) {
        std::string real = resolver_.real(file.string());
        Unit unit = unit_of(real, placement_.place_of(real, from.file, from.place, ""));
        out.needs.push_back({std::move(unit), reason});
        return;
    }
    Found found = resolver_.resolve(text, from.file, false);
    if (found.kind == Found::Kind::forbidden || found.kind == Found::Kind::absent) {
        Found other = resolver_.resolve(text, from.file, true);
        if (other.kind == Found::Kind::file) found = other;
    }
    if (found.kind == Found::Kind::file) want_file(found, from, package_name(text), reason, out);
}

void NodeRuntime::want_file(const Found& found, const Unit& from, const std::string& name,
                            const Reason& reason, Expansion& out) {
    Unit unit = unit_of(found.file, placement_.place_of(found.file, from.file, from.place, name));
    if (is_excluded(unit.name) || is_excluded(unit.part)) return;
    if (unit.kind == UnitKind::extension && !is_addon_for_target(found.file)) {
        out.unanswered.push_back({unit.name, reason, {}, found.file});
        return;
    }
    out.needs.push_back({std::move(unit), reason});
}

Expansion NodeRuntime::expand(const Unit& unit) {
    Expansion out;
    bool main = unit.file == entry_;
    if (unit.kind == UnitKind::script || main) {
        want_scopes(unit, out);
        if (auto scan = scan_file(unit.file, *store_))
            for (const Request& request : scan->requests) answer(unit, request, out);
    } else if (unit.kind == UnitKind::data && base_name(unit.file) == "package.json") {
        auto package = resolver_.package_in(parent_folder_of(unit.file));
        if (package) expand_package(unit, *package, out);
    } else if (unit.kind == UnitKind::extension) {
        want_scopes(unit, out);
    }
    return out;
}

std::string NodeRuntime::reading_of(const Unit& unit) {
    auto scan = unit.kind == UnitKind::script ? scan_file(unit.file, *store_) : std::nullopt;
    return scan ? stored_form(*scan) : std::string();
}

/// Each package.json between a file and the folder of its package: they say how it is loaded.
void NodeRuntime::want_scopes(const Unit& unit, Expansion& out) {
    std::string root = placement_.package_root(unit.file);
    std::string place = unit.place;
    for (std::string folder = parent_folder_of(unit.file); folder.size() >= root.size();
         folder = parent_folder_of(folder)) {
        std::size_t slash = place.rfind('/');
        if (slash == std::string::npos) break;
        place.resize(slash);
        if (resolver_.package_in(folder))
            out.needs.push_back({unit_of(folder + "/package.json", place + "/package.json"),
                                 {"is in the package of", "", 0, false}});
        if (folder == root || folder.size() < 2) break;
    }
}

void NodeRuntime::answer(const Unit& unit, const Request& request, Expansion& out) {
    Reason reason{verb_of(request.kind), unit.file, request.line, false};
    // Packages look for others that may be there, at a time when it matters to nobody else.
    reason.optional = request.guarded || (request.in_function && !unit.own);
    const std::string& text = request.text;
    if (text.empty()) return;
    if (request.kind == RequestKind::start) {
        std::string file = (project_.folder / text).lexically_normal().string();
        if (unit.own && is_file(file))
            out.needs.push_back({unit_of(file, placement_.own_place(file)), reason});
        return;
    }
    if (request.kind == RequestKind::mention) {
        Found found = resolver_.resolve(text, unit.file, false);
        if (found.kind == Found::Kind::file) want_file(found, unit, "", reason, out);
        return;
    }
    bool computed = text.find(unknown) != std::string::npos;
    if (text.front() == own_folder || text.front() == own_file) {
        std::string path =
            (text.front() == own_folder ? parent_folder_of(unit.file) : unit.file) + text.substr(1);
        if (computed) return answer_family(unit, request, path, reason, out);
        return answer_path(unit, request, path, reason, out);
    }
    if (computed) {
        if (text.starts_with("./") || text.starts_with("../"))
            return answer_family(unit, request, parent_folder_of(unit.file) + "/" + text, reason, out);
        return answer_computed_package(unit, request, reason, out);
    }
    bool is_import =
        request.kind == RequestKind::import_static || request.kind == RequestKind::import_dynamic;
    Found found = resolver_.resolve(text, unit.file, is_import);
    if (found.kind == Found::Kind::built_in) return;
    if (request.kind == RequestKind::resolve && found.kind != Found::Kind::file) {
        // import.meta.resolve follows the other conditions.
        Found other = resolver_.resolve(text, unit.file, true);
        if (other.kind == Found::Kind::file) found = other;
    }
    if (found.kind == Found::Kind::file) return want_file(found, unit, package_name(text), reason, out);
    answer_missing(unit, request, text, found, reason, out);
}

void NodeRuntime::answer_missing(const Unit& unit, const Request& request, const std::string& what,
                                 const Found& found, const Reason& reason, Expansion& out) {
    if (is_excluded(what) || request.kind == RequestKind::resolve) return;
    if (found.kind == Found::Kind::broken) {
        out.loose_ends.push_back({.kind = "broken-package",
                                  .what = fmt::format("the package.json of {} is not valid JSON", what),
                                  .file = found.why_file,
                                  .line = found.why_line,
                                  .effect = "the application stops when it gets there",
                                  .advice = found.why});
        return;
    }
    if (found.kind == Found::Kind::forbidden && !reason.optional) {
        out.loose_ends.push_back({.kind = "forbidden-path",
                                  .what = found.why,
                                  .file = unit.file,
                                  .line = request.line,
                                  .effect = "the application stops when it gets there",
                                  .advice = fmt::format("{} says what can be asked for", found.why_file)});
        return;
    }
    // A package that is bundled into one file has the names of its parts still in it.
    Reason why = reason;
    if (!unit.own && (what.starts_with("./") || what.starts_with("../"))) why.optional = true;
    std::vector<std::string> near;
    if (!why.optional) {
        std::vector<std::string> names;
        if (what.front() == '.') {
            fs::path path = fs::path(parent_folder_of(unit.file)) / what;
            bool has_ending = path.has_extension();
            for (const FolderEntry& entry : list_folder(path.lexically_normal().parent_path()))
                names.push_back(what.substr(0, what.rfind('/') + 1) +
                                (has_ending ? entry.name : fs::path(entry.name).stem().string()));
        } else {
            for (const FolderEntry& entry : list_folder(placement_.base() + "/node_modules"))
                names.push_back(entry.name);
        }
        near = near_matches(what, names);
    }
    out.unanswered.push_back({what, why, near, ""});
}

/// A path that the file puts together from its own place.
void NodeRuntime::answer_path(const Unit& unit, const Request& request, const std::string& path,
                              const Reason& reason, Expansion& out) {
    std::string plain = fs::path(path).lexically_normal().string();
    while (plain.size() > 1 && plain.ends_with('/')) plain.pop_back();
    if (plain == unit.file || plain == parent_folder_of(unit.file)) return;
    bool loads = request.kind != RequestKind::file;
    Found found = loads ? resolver_.find_file(path) : Found();
    if (found.kind == Found::Kind::file) return want_file(found, unit, "", reason, out);
    std::string root = placement_.package_root(unit.file);
    bool inside = plain == root || !relative_to(plain, root).empty();
    if (resolver_.has_folder(parent_folder_of(plain)) && resolver_.has_file(plain)) {
        std::string real = resolver_.real(plain);
        Found one{Found::Kind::file, real, plain, {}, {}, 0};
        if (inside || placement_.is_own(real)) want_file(one, unit, "", reason, out);
        return;
    }
    if (resolver_.has_folder(plain)) {
        // The folder of the whole package is where paths begin, not what is read.
        bool is_root = plain == root || resolver_.package_in(plain) != nullptr ||
                       !relative_to(root, plain).empty() || plain.ends_with("/node_modules");
        if (is_root || !inside) return;
        Reason whole = reason;
        whole.optional |= !unit.own;
        return want_folder(unit, plain, plain + "/**", whole, out);
    }
    if (!loads && inside) {
        // The name of a module without its ending.
        Found module = resolver_.find_file(plain);
        if (module.kind == Found::Kind::file) want_file(module, unit, "", reason, out);
    } else if (loads) {
        answer_missing(unit, request, shown(request.text), found, reason, out);
    }
}

/// All files that a pattern fits, below a folder.
void NodeRuntime::want_folder(const Unit& unit, const std::string& folder, const std::string& pattern,
                              const Reason& reason, Expansion& out) {
    std::vector<std::string> open{folder};
    std::size_t taken = 0;
    while (!open.empty()) {
        std::string at = std::move(open.back());
        open.pop_back();
        auto listing = resolver_.list(at);
        for (const auto& [name, entry] : listing->entries) {
            std::string path = at + "/" + name;
            if (entry.is_folder) {
                bool skipped =
                    name == "node_modules" || name == ".git" || (at == project_.folder && name == "out");
                if (!skipped) open.push_back(path);
                continue;
            }
            if (!fits_pattern(path, pattern, '/') || taken == most_files_of_family) continue;
            std::string real = resolver_.real(path);
            Unit found = unit_of(real, placement_.place_of(real, unit.file, unit.place, ""));
            if (is_excluded(found.name)) continue;
            if (found.kind == UnitKind::extension && !is_addon_for_target(real)) continue;
            ++taken;
            out.needs.push_back({std::move(found), reason});
        }
    }
}

/// A path with a computed part: all files that fit.
void NodeRuntime::answer_family(const Unit& unit, const Request& request, const std::string& text,
                                const Reason& reason, Expansion& out) {
    std::size_t first = text.find(unknown);
    std::string known = text.substr(0, first);
    std::string folder = fs::path(known.substr(0, known.rfind('/') + 1)).lexically_normal().string();
    while (folder.size() > 1 && folder.ends_with('/')) folder.pop_back();
    std::string rest = text.substr(known.rfind('/') + 1);
    std::string root = placement_.package_root(unit.file);
    bool inside = folder == root || !relative_to(folder, root).empty();
    if (!inside || !resolver_.has_folder(folder)) return;
    bool loads = request.kind != RequestKind::file;
    // A whole package, or a path of which nothing is known but where it begins: that would be all or nothing.
    bool says_nothing = rest.find_first_not_of(unknown) == std::string::npos;
    bool is_root = folder == root || resolver_.package_in(folder) != nullptr;
    if (says_nothing && is_root && !loads) return;
    Reason family = reason;
    family.optional = true;
    family.verb = loads ? "may load, by a computed name," : "may read, by a computed name,";
    std::string pattern = folder + "/" + pattern_of(rest);
    std::size_t before = out.needs.size();
    // Beside the file itself, only what lies there is meant: a module, or a folder with an index.
    if (says_nothing && loads && folder == parent_folder_of(unit.file)) pattern = folder + "/*";
    want_folder(unit, folder, pattern, family, out);
    if (loads)
        for (const char* ending : {".js", ".cjs", ".mjs", ".json", ".node", "/index.js"})
            if (!pattern.ends_with(ending)) want_folder(unit, folder, pattern + ending, family, out);
    // What is loaded is code: readers' and translators' lore beside it are not meant.
    if (loads)
        std::erase_if(out.needs, [&](const Need& need) {
            const std::string& file = need.unit.file;
            return need.reason.verb == family.verb && need.reason.line == request.line && !is_script(file) &&
                   !file.ends_with(".json") && !file.ends_with(".node") && !file.ends_with(".wasm");
        });
    std::set<std::string> files;
    for (std::size_t i = before; i < out.needs.size(); ++i) files.insert(out.needs[i].unit.file);
    if (out.needs.size() == before && !unit.own) return;
    // What the project names itself is settled.
    std::string inner = relative_to(folder, project_.folder.string());
    std::string name = (inner.empty() ? "" : inner + "/") + pattern_of(rest);
    bool is_named = std::ranges::any_of(project_.include, [&](const std::string& one) {
        std::string plain = one.starts_with("./") ? one.substr(2) : one;
        return !files.empty() && std::ranges::all_of(files, [&](const std::string& file) {
            return fits_pattern(relative_to(file, project_.folder.string()), plain, '/');
        });
    });
    if (is_named) return;
    out.loose_ends.push_back(
        {.kind = loads ? "computed-import" : "computed-path",
         .what = fmt::format("{} {} `{}`, of which a part is computed", unit.name, loads ? "loads" : "names",
                             shown(request.text)),
         .file = unit.file,
         .line = request.line,
         .effect = fmt::format("{} files that fit are carried; others would be missing", files.size()),
         .advice =
             unit.own ? fmt::format(
                            "if that is all, say so with --include '{}'; else rehearse the application", name)
                      : std::string("rehearse the application, or name what it needs with --include"),
         .minor = !unit.own});
}

/// A package whose name is computed: those fit that the asking package says it works with.
void NodeRuntime::answer_computed_package(const Unit& unit, const Request& request, const Reason& reason,
                                          Expansion& out) {
    bool loads = request.kind != RequestKind::file && request.kind != RequestKind::resolve;
    std::string pattern = pattern_of(request.text);
    Reason family = reason;
    family.optional = true;
    family.verb = "may load, by a computed name,";
    std::size_t before = out.needs.size();
    bool says_nothing = request.text.front() == unknown;
    // A package that loads what it is told to has declared what it is told by itself.
    if (!says_nothing || (!unit.own && loads)) {
        auto package = resolver_.scope_of(parent_folder_of(unit.file));
        std::vector<std::string> names;
        if (package) {
            names = package->needs;
            if (!says_nothing) names.insert(names.end(), package->may_need.begin(), package->may_need.end());
        }
        for (const std::string& name : names) {
            if (!says_nothing && !fits_pattern(name, pattern)) continue;
            std::string folder = resolver_.package_folder(name, unit.file);
            auto found_package = folder.empty() ? nullptr : resolver_.package_in(folder);
            if (!found_package || !fits_target(*found_package)) continue;
            Found found = resolver_.resolve(name, unit.file, false);
            if (found.kind == Found::Kind::file) want_file(found, unit, name, family, out);
        }
    }
    if (!loads || request.guarded) return;
    out.loose_ends.push_back(
        {.kind = "computed-import",
         .what =
             request.text == std::string(1, unknown)
                 ? fmt::format("{} loads a module by a computed name", unit.name)
                 : fmt::format("{} loads `{}`, of which a part is computed", unit.name, shown(request.text)),
         .file = unit.file,
         .line = request.line,
         .effect = out.needs.size() == before ? "what it loads there is not known"
                                              : "packages that fit are carried; others would be missing",
         .advice = "rehearse the application, or name what it loads with --include",
         .minor = !unit.own});
}

} // namespace omnistasis::node
