#include "runtimes/python/python_runtime.h"

#include "native/native_kind.h"
#include "runtimes/python/lexer.h"
#include "runtimes/python/package_data.h"
#include "runtimes/python/python_tracing.h"
#include "runtimes/python/version_condition.h"
#include "runtimes/python/zipped_packages.h"
#include "support/hash.h"
#include "support/json.h"
#include "support/near_match.h"
#include "support/own_program.h"
#include "support/pattern.h"
#include "support/subprocess.h"
#include "trace/rehearsed_ends.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unordered_map>

namespace omnistasis::python {

namespace {

/// Modules that the interpreter imports by itself, whatever the application does.
constexpr std::array<std::string_view, 10> always_needed{"encodings",
                                                         "encodings.aliases",
                                                         "encodings.ascii",
                                                         "encodings.latin_1",
                                                         "encodings.utf_8",
                                                         "codecs",
                                                         "io",
                                                         "abc",
                                                         "os",
                                                         "_sitebuiltins"};

} // namespace

std::vector<std::string> PythonRuntime::search_path() const {
    std::vector<std::string> path;
    // A folder of commands is no folder of modules, although the interpreter takes it for one.
    if (!entry_.among_commands) path.push_back(entry_.folder);
    path.insert(path.end(), facts_.search_path.begin(), facts_.search_path.end());
    // Commands of the system put folders of their own package on the path, often by functions.
    for (const std::string& folder : folders_of_packages(installed_files_))
        if (std::ranges::find(path, folder) == path.end()) path.push_back(folder);
    // What the entry point itself does to the path, before it imports anything from there.
    auto source = MappedFile::open(entry_.file);
    if (!source) return path;
    ScanFacts facts;
    facts.minor = facts_.minor;
    facts.is_main = true;
    facts.file = entry_.file;
    for (const StringAt& entry : scan(source->text(), "__main__", "", facts).search_path) {
        bool in_front = entry.text.starts_with('<');
        std::string folder = fs::path(entry.text.substr(in_front ? 1 : 0)).lexically_normal().string();
        while (folder.size() > 1 && folder.ends_with('/')) folder.pop_back();
        if (is_folder(folder) && std::ranges::find(path, folder) == path.end())
            path.insert(in_front ? path.begin() : path.end(), folder);
    }
    return path;
}

/// All that scans depend on but the files: our own program, the version, the names that lore watch for.
std::string PythonRuntime::scan_settings() const {
    std::string settings = fmt::format("{}.{} {}", facts_.major, facts_.minor, facts_.platform);
    settings += " " + own_program_stamp();
    for (const auto& [module, lore_entry] : lore_)
        for (const auto& [name, needed] : lore_entry.when_named) settings += " " + name;
    return settings;
}

bool PythonRuntime::excluded(const std::string& name) const {
    return std::ranges::any_of(project_.exclude, [&](const std::string& pattern) {
        return fits_pattern(name, pattern) || (!is_pattern(pattern) && name.starts_with(pattern + ".")) ||
               (pattern.ends_with(".*") && name == pattern.substr(0, pattern.size() - 2));
    });
}

Unit PythonRuntime::unit_of(const std::string& name, const FoundModule& found) {
    Unit unit;
    unit.name = name;
    switch (found.kind) {
    case FoundModule::Kind::extension:
        unit.kind = UnitKind::extension;
        break;
    case FoundModule::Kind::built_in:
    case FoundModule::Kind::absent:
        unit.kind = UnitKind::built_in;
        return unit;
    case FoundModule::Kind::namespace_package:
        unit.kind = UnitKind::folder;
        return unit;
    default:
        unit.kind = UnitKind::code;
    }
    unit.file = found.file;
    unit.place = places_.of(found.file, found.root);
    unit.own = places_.is_own(found.root) || is_of_application(found.file);
    unit.of_runtime = places_.is_standard(found.root);
    return unit;
}

/// The module that a name stands for which another module makes while it runs; empty where it is none.
std::string PythonRuntime::meant_by(const std::string& name) const {
    if (auto exact = stands_for_.find(name); exact != stands_for_.end()) return exact->second;
    // "package.made.*" = "package.real.*"
    for (std::string above = parent_of(name); !above.empty(); above = parent_of(above))
        if (auto all = stands_for_.find(above + ".*"); all != stands_for_.end())
            return all->second.substr(0, all->second.size() - 1) + name.substr(above.size() + 1);
    return {};
}

/// Wants a module with all the packages that it is in.
void PythonRuntime::want(const std::string& name, const Reason& reason, Expansion& out) {
    if (name.empty() || excluded(name)) return;
    if (name == "__main__") return; // always there
    if (name == "os.path") return want("posixpath", reason, out);
    if (std::string meant = meant_by(name); !meant.empty()) {
        if (top_of(name) != name) want(top_of(name), reason, out);
        return want(meant, reason, out);
    }
    // A module brings in the package that it is in when it is expanded itself.
    if (const FoundModule& found = finder_.find(name)) {
        out.needs.push_back({unit_of(name, found), reason});
        return;
    }
    std::string there = parent_of(name), missing = name;
    for (; !there.empty() && !finder_.find(there); there = parent_of(there)) missing = there;
    Reason why = reason;
    if (!there.empty()) {
        const FoundModule& package = finder_.find(there);
        why.verb = fmt::format("{} {}, which is in", reason.verb, name);
        out.needs.push_back({unit_of(there, package), why});
        // A name below a module that is no package can only be made while the application runs.
        why.verb = reason.verb;
        why.optional |= !package.is_package;
    }
    out.unanswered.push_back({missing, why, why.optional ? std::vector<std::string>() : near_names(missing),
                              why.optional ? std::string() : finder_.other_build(missing)});
}

std::vector<std::string> PythonRuntime::near_names(const std::string& name) {
    return near_matches(name, finder_.modules_in(parent_of(name)));
}

/// A pattern of the project: a name, or `name.*` for all that is in a package, at any depth.
void PythonRuntime::want_pattern(const std::string& pattern, const Reason& reason, Expansion& out) {
    if (pattern == "{build_data}") return want(facts_.build_data, reason, out);
    if (is_library_name(pattern)) {
        if (!trace::want_opened_library(pattern, reason, out))
            out.unanswered.push_back({pattern, reason, {}, {}});
        return;
    }
    if (!is_pattern(pattern)) return want(pattern, reason, out);
    std::string fixed = pattern.substr(0, pattern.find_first_of("*?"));
    std::string package = parent_of(fixed);
    if (!package.empty()) want(package, reason, out);
    std::vector<std::string> open = finder_.modules_in(package);
    std::size_t matches = 0;
    for (std::size_t i = 0; i < open.size(); ++i) {
        if (fits_pattern(open[i], pattern)) {
            ++matches;
            want(open[i], reason, out);
        }
        if (finder_.find(open[i]).is_package && !package.empty()) {
            auto inner = finder_.modules_in(open[i]);
            open.insert(open.end(), inner.begin(), inner.end());
        }
    }
    if (matches == 0 && !reason.optional)
        out.unanswered.push_back({pattern, reason, near_names(package), {}});
}

Result<Expansion> PythonRuntime::roots() {
    Expansion out = recall(project_.rehearsed);
    Reason runtime{"is part of every Python application", "", 0, false};
    Unit program{UnitKind::program, fs::path(facts_.program).filename().string(), facts_.program,
                 program_place(), false};
    out.needs.push_back({program, runtime});
    for (std::string_view name : always_needed) want(std::string(name), runtime, out);
    // From 3.13 on the interpreter prints exceptions with it.
    if (facts_.minor >= 13) want("traceback", runtime, out);
    // Any of the one-byte encodings may be the locale's, and the interpreter does not start without it.
    for (const std::string& name : finder_.modules_in("encodings"))
        for (const char* family : {"encodings.iso8859_", "encodings.koi8_", "encodings.cp125"})
            if (name.starts_with(family))
                want(name, {"may be the encoding of the user's locale", "", 0, false}, out);

    if (auto found = find_entry_module(); !found) return pass_on(found);
    application_ = find_application();
    Reason entry{"is the entry point", project_.project_file.string(), 0, false};
    if (entry_.kind == Entry::Kind::module) want(parent_of(entry_.module), entry, out);
    if (entry_.kind == Entry::Kind::function) {
        want(entry_.module, entry, out);
        note_entry_function(out);
    }
    out.needs.push_back({main_unit(), entry});
    for (const std::string& pattern : project_.include)
        want_pattern(pattern, {"is included by the project", project_.project_file.string(), 0, false}, out);
    return out;
}

/// An entry that names a module which is not the project's own is looked for where the interpreter would.
Result<void> PythonRuntime::find_entry_module() {
    if (entry_.kind == Entry::Kind::script) return {};
    const FoundModule* found = &finder_.find(entry_.module);
    bool runs = entry_.kind == Entry::Kind::module;
    if (runs && found->is_package) {
        entry_.module += ".__main__";
        found = &finder_.find(entry_.module);
    }
    if (found->kind == FoundModule::Kind::source || (!runs && *found)) {
        entry_.file = found->file;
        return {};
    }
    auto near = near_names(entry_.module);
    return fail(ErrorKind::bad_input, fmt::format("there is no module {} that can be started", entry_.module),
                project_.project_file.empty() ? project_.folder.string()
                                              : "app.entry in " + project_.project_file.string(),
                *found ? "it is there, but not as source" : "it is not in the project and not installed",
                near.empty() ? "name a source file, a package with a __main__.py, or module:function"
                             : fmt::format("did you mean {}?", fmt::join(near, ", ")));
}

/// The entry's function may be made while the module runs, but its name has to be there.
void PythonRuntime::note_entry_function(Expansion& out) {
    auto source = MappedFile::open(entry_.file);
    if (!source || finder_.find(entry_.module).kind != FoundModule::Kind::source) return;
    std::string name = top_of(entry_.function);
    std::set<std::string> names;
    Lexer lexer(source->text());
    for (std::vector<Token> line; lexer.next_line(line);)
        for (const Token& token : line)
            if (token.kind == TokenKind::name) names.insert(std::string(token.text));
    if (names.contains(name)) return;
    auto near = near_matches(name, {names.begin(), names.end()});
    out.loose_ends.push_back({.kind = "no-entry-function",
                              .what = fmt::format("{} names no {}", entry_.module, name),
                              .file = entry_.file,
                              .line = 0,
                              .effect = "the application stops when it starts",
                              .advice = near.empty()
                                            ? "name a function of the module in app.entry"
                                            : fmt::format("did you mean {}?", fmt::join(near, ", "))});
}

/// What runs as __main__: the entry itself, or our few lines that call the entry's function.
Unit PythonRuntime::main_unit() {
    Unit unit{UnitKind::code, "__main__", entry_.file, {}, true, false};
    if (entry_.kind == Entry::Kind::function) {
        unit.file = (helpers_ / "call.py").string();
        unit.place = application_place() + "/_omnistasis_call.py";
    } else if (entry_.kind == Entry::Kind::script) {
        unit.place = places_.of(entry_.file, project_.folder.string());
    } else {
        const std::string& root = finder_.find(entry_.module).root;
        unit.place = places_.of(entry_.file, root);
        unit.own = places_.is_own(root);
    }
    return unit;
}

Expansion PythonRuntime::expand(const Unit& unit) {
    Expansion out = all_asked_by(unit);
    if (is_companion(unit))
        restrain(unit, out);
    else
        note_asked(unit, out.needs);
    return out;
}

Expansion PythonRuntime::all_asked_by(const Unit& unit) {
    Expansion out;
    if (trace::is_module(unit.kind))
        want(parent_of(unit.name), {"is in the package", unit.file, 0, false}, out);
    if (unit.kind == UnitKind::code) scan_source(unit, out);
    if (unit.kind == UnitKind::extension) {
        scan_extension(unit, out);
        scan_source_of_extension(unit, out);
        hold_back_unrelated(unit, out);
    }
    if (unit.kind != UnitKind::data && unit.kind != UnitKind::native) apply_lore(unit, out);
    return out;
}

/// A module that was compiled from Python may have its source beside it, which says what it imports.
void PythonRuntime::scan_source_of_extension(const Unit& unit, Expansion& out) {
    std::string file = unit.file.substr(0, unit.file.find('.', unit.file.rfind('/') + 1)) + ".py";
    const FoundModule& found = finder_.find(unit.name);
    if (places_.is_standard(found.root) ||
        !finder_.has_entry(fs::path(file).parent_path(), fs::path(file).filename()))
        return;
    ScanFacts facts = scan_facts_;
    facts.file = file;
    auto result =
        scans_.scan_file(file, unit.name, found.is_package ? unit.name : parent_of(unit.name), facts);
    if (!result) return;
    for (const Request& request : result->requests)
        if (!has_no_occasion(request, unit.name, *result)) answer(unit, request, out);
}

std::optional<PythonRuntime::Scanned> PythonRuntime::scanned_source(const Unit& unit) {
    std::string name = unit.name == "__main__" && !main_module().empty() ? main_module() : unit.name;
    const FoundModule& found = finder_.find(name);
    bool package = found.is_package && name != "__main__";
    Scanned scanned;
    scanned.name = name;
    scanned.file = unit.file;
    scanned.root = unit.name == "__main__" && main_module().empty() ? project_.folder.string() : found.root;
    scanned.own = unit.own;
    scanned.standard = places_.is_standard(scanned.root);
    ScanFacts facts = scan_facts_;
    facts.is_main = unit.name == "__main__";
    facts.keeps_strings = !scanned.standard;
    facts.is_own = scanned.own;
    facts.file = unit.file;
    auto result = scans_.scan_file(unit.file, facts.is_main ? "__main__" : name,
                                   package ? name : parent_of(name), facts);
    if (!result) return std::nullopt;
    scanned.result = std::move(*result);
    return scanned;
}

void PythonRuntime::scan_source(const Unit& unit, Expansion& out) {
    if (unit.file.starts_with(helpers_.string())) return; // our own
    auto read = scanned_source(unit);
    if (!read) return;
    Scanned& scanned = *read;
    const std::string& name = scanned.name;
    Unit self = unit;
    self.name = name;
    // What is asked for at the top of a module is asked for when it is imported, whatever becomes of it.
    Expansion at_once;
    for (const Request& request : scanned.result.requests)
        if ((scanned.own || request.taken_names.empty()) && !has_no_occasion(request, name, scanned.result))
            answer(self, request, request.certainty == Certainty::guarded ? at_once : out);
    if (scanned.own)
        for (std::uint32_t line : scanned.result.unknown_imports)
            note_computed_import(unit.file, line, "a module is imported by a computed name", out);
    else if (!scanned.standard && !scanned.result.unknown_imports.empty())
        out.loose_ends.push_back(
            {.kind = "computed-import",
             .what = fmt::format("{} imports modules by computed names", scanned.name),
             .file = unit.file,
             .line = scanned.result.unknown_imports.front(),
             .effect = "a module that only this package knows may be missing",
             .advice = "run the application with `omnistasis rehearse`, which shows what is imported there",
             .minor = true});
    for (const StringAt& code : scanned.result.code_strings)
        if (finder_.find(code.text))
            want(code.text, {"imports, in a text,", unit.file, code.line, true}, out);
    note_shadowing(self, out);
    note_surroundings(self, scanned.result, out);
    // Shown sources are files beside where their modules' code would be.
    if (project_.sources)
        out.needs.push_back({file_unit(UnitKind::data, unit.file, unit.place),
                             {"goes along as source, for", unit.file, 0, true}});
    apply_metadata(self, scanned.result, out);
    want_codecs(scanned.result, unit.file, scanned.own, scanned.standard, out);
    if (!scanned.standard) want_system_paths(self, scanned.result, out);
    if (!scanned.standard) want_opened_libraries(self, scanned.result, out);
    if (scanned.result.reads_stubs) want_stubs(self, name, out);
    if (scanned.result.restarts_itself)
        want("runpy", {"starts the interpreter again", unit.file, 0, true}, out);
    if (scanned.own)
        for (auto& [data, line] :
             named_data(scanned.result, unit.file, scanned.root, project_, places_, finder_))
            out.needs.push_back({std::move(data), {"names", unit.file, line, false}});
    hold_back_unrelated(self, out);
    std::ranges::move(at_once.needs, std::back_inserter(out.needs));
    std::ranges::move(at_once.unanswered, std::back_inserter(out.unanswered));
    std::ranges::move(at_once.loose_ends, std::back_inserter(out.loose_ends));
    std::lock_guard lock(mutex_);
    scanned_.push_back(std::move(scanned));
}

std::string PythonRuntime::reading_of(const Unit& unit) {
    bool names_are_read = entry_.kind == Entry::Kind::function && unit.file == entry_.file;
    if (unit.kind != UnitKind::code || names_are_read || searched_.contains(unit.file)) return {};
    auto scanned = scanned_source(unit);
    if (!scanned) return {};
    // Of the names that are taken only those matter that bring something in.
    std::erase_if(scanned->result.names_taken,
                  [this](std::uint32_t name) { return !late_names_.contains(name); });
    Sha256 hash = sha256(stored_form(scanned->result));
    return {hash.begin(), hash.end()};
}

std::string PythonRuntime::learned() const {
    Json json{
        {"moved", moved_},           {"sources", reads_own_sources_}, {"shown", shows_modules_},
        {"idle", idle_lore_},        {"with_source", with_source_},   {"imported", imported_},
        {"late_names", late_names_}, {"programs", carries_programs_}, {"libraries", introspected_.versions}};
    return json_line(json);
}

Result<void> PythonRuntime::relearn(std::string_view learned) {
    Json json = parse_json(learned);
    if (json.is_object() && json.contains("shown")) {
        moved_ = json["moved"].get<decltype(moved_)>();
        reads_own_sources_ = json["sources"].get<bool>();
        shows_modules_ = json["shown"].get<std::set<std::string>>();
        idle_lore_ = json["idle"].get<std::set<std::string>>();
        with_source_ = json["with_source"].get<std::set<std::string>>();
        imported_ = json["imported"].get<std::set<std::string>>();
        late_names_ = json["late_names"].get<std::set<std::uint32_t>>();
        carries_programs_ = json["programs"].get<bool>();
        introspected_.versions = json["libraries"].get<decltype(introspected_.versions)>();
    }
    auto found = find_entry_module();
    application_ = find_application();
    return found;
}

/// The dotted name that a request means, seen from the module that makes it.
std::string PythonRuntime::absolute_module(const Request& request, const std::string& from) {
    if (request.level == 0) return request.module;
    std::string base = finder_.find(from).is_package ? from : parent_of(from);
    for (std::uint32_t up = 1; up < request.level; ++up) base = parent_of(base);
    return base.empty() ? request.module : request.module.empty() ? base : base + "." + request.module;
}

/// Whether a top-level module is one that only developers need, as lore knows them.
bool PythonRuntime::is_development_tool(const std::string& module) const {
    return std::ranges::any_of(lore_of("*"), [&](const LoreEntry* lore_entry) {
        return std::ranges::find(lore_entry->leave_out, module) != lore_entry->leave_out.end();
    });
}

/// Whether a request never comes to be made: lore says so, or it stands in for modules of the standard
/// library that are there.
bool PythonRuntime::has_no_occasion(const Request& request, const std::string& from, const ScanResult& scan) {
    std::string module = absolute_module(request, from);
    std::string taken = request.kind == Request::Kind::from_module ? module + "." + request.name : module;
    auto left_out_by = [&](const std::string& whose) {
        for (const LoreEntry* lore_entry : lore_of(whose))
            for (const std::string& left_out : lore_entry->leave_out)
                if (module == left_out || taken == left_out || module.starts_with(left_out + "."))
                    return true;
        return false;
    };
    if (left_out_by(from)) return true;
    const FoundModule& asking = finder_.find(from);
    bool own = !asking || places_.is_own(asking.root);
    bool standard = places_.is_standard(asking.root);
    // A tool for development that is there all the same, as the application itself, needs what such tools
    // need.
    if (!own && request.certainty != Certainty::always &&
        (left_out_by("*") || (standard && left_out_by("*standard"))) && !is_development_tool(top_of(from)))
        return true;
    if (request.instead_of_first == request.instead_of_last) return false;
    for (std::uint32_t i = request.instead_of_first; i < request.instead_of_last; ++i) {
        const Request& tried = scan.requests[i];
        const FoundModule& found = finder_.find(absolute_module(tried, from));
        bool certain =
            found.kind == FoundModule::Kind::built_in || (found && places_.is_standard(found.root));
        if (!certain || tried.computed || may_lack(found, tried.name)) return false;
    }
    return true;
}

/// Whether a module may be without a name that is taken from it: `from socket import _fileobject`.
bool PythonRuntime::may_lack(const FoundModule& module, const std::string& name) {
    if (name.empty() || module.kind != FoundModule::Kind::source) return false;
    {
        std::lock_guard lock(mutex_);
        searched_.insert(module.file);
    }
    auto source = MappedFile::open(module.file);
    if (!source || source->text().find(name) != std::string_view::npos) return false;
    // What another module hands on wholesale does not stand in the text; names with a bar are not handed on.
    return name.starts_with('_') || source->text().find("import *") == std::string_view::npos;
}

/// A file of the project that has the name of a module of the standard library is taken in its place, by the
/// library's own modules too.
void PythonRuntime::note_shadowing(const Unit& unit, Expansion& out) {
    if (!unit.own || unit.name.find('.') != std::string::npos || unit.name == "__main__") return;
    for (const std::string& library : {facts_.standard_library, facts_.platform_library}) {
        fs::path base = fs::path(library) / unit.name;
        if (!is_there(base.string() + ".py") && !is_there(base / "__init__.py")) continue;
        out.loose_ends.push_back(
            {.kind = "shadows-standard",
             .what = fmt::format("this file takes the place of the standard module {}", unit.name),
             .file = unit.file,
             .line = 0,
             .effect = "whatever imports that module gets this file, packages too",
             .advice = "give the file another name, unless that is what you want"});
        return;
    }
    for (const std::string& other : finder_.elsewhere(unit.name))
        out.loose_ends.push_back(
            {.kind = "exists-twice",
             .what = fmt::format("{} is there twice: this file is taken, {} is not", unit.name, other),
             .file = unit.file,
             .line = 0,
             .effect = "whatever imports that module gets this file, packages too",
             .advice = "give one of them another name, unless that is what you want",
             .minor = true});
}

/// What the application's own code expects around it and does not find once it is built.
void PythonRuntime::note_surroundings(const Unit& unit, const ScanResult& scan, Expansion& out) {
    if (!unit.own) return;
    if (scan.asks_for_source != 0 && !project_.sources)
        out.loose_ends.push_back(
            {.kind = "asks-for-source",
             .what = "a source text is asked for, and only compiled code goes along",
             .file = unit.file,
             .line = scan.asks_for_source,
             .effect = "the call fails with an OSError",
             .advice = "set sources = true under [runtime] in omnistasis.toml if it is needed"});
    for (const StringAt& path : scan.written_paths) {
        // A relative path is the caller's, unless the application starts in its own folder.
        bool is_relative = path.text.front() != '/';
        if (is_relative && (!project_.starts_in_own_folder() || scan.changes_folder)) continue;
        std::string inner =
            relative_to((project_.folder / path.text).lexically_normal().string(), project_.folder.string());
        if (!inner.empty() && !project_.is_state(inner))
            out.loose_ends.push_back(trace::writes_own_file(inner, unit.file, path.line));
    }
    if (project_.starts_in_own_folder() || scan.changes_folder) return;
    for (const StringAt& path : scan.opened_paths) {
        if (path.text == "." || !is_there(project_.folder / path.text)) continue;
        out.loose_ends.push_back(
            {.kind = "relative-path",
             .what = fmt::format("{} is opened relative to the folder that the caller is in", path.text),
             .file = unit.file,
             .line = path.line,
             .effect = "it is found only where the application is started in a folder that has it",
             .advice = "open it relative to __file__, or set working_folder = \"app\" under [app] in "
                       "omnistasis.toml"});
    }
}

/// A package that brings others in its own folder makes them known under their own names while it runs: a
/// name that is found nowhere else is that one. Empty where it is none.
std::string PythonRuntime::bundled_module(const std::string& module, const std::string& from) {
    std::string top = top_of(module);
    if (module.empty() || finder_.may_have("", top)) return {};
    for (const char* folder :
         {"", "._vendor", ".vendor", "._vendored", ".vendored", ".extern", ".packages", ".libs"}) {
        std::string inside = top_of(from) + folder;
        if (!finder_.may_have(inside, top)) continue;
        std::string whole = inside + "." + module;
        if (finder_.find(inside + "." + top) && finder_.find(whole)) return whole;
    }
    return {};
}

void PythonRuntime::answer(const Unit& unit, const Request& request, Expansion& out) {
    if (unit.own && !request.computed) {
        std::lock_guard lock(mutex_);
        std::string module = absolute_module(request, unit.name);
        imported_.insert(module);
        if (request.kind == Request::Kind::from_module) imported_.insert(module + "." + request.name);
    }
    Reason reason{request.computed ? "imports by name" : "imports", unit.file, request.line, false};
    // Code of packages often imports inside functions what only some of its users have.
    reason.optional =
        request.certainty == Certainty::guarded || (request.certainty == Certainty::deferred && !unit.own);
    std::string module = absolute_module(request, unit.name);
    // An installed application offers in its functions what only some of its users have.
    if (application_ != nullptr && request.certainty == Certainty::deferred && !finder_.find(module))
        reason.optional = true;
    if (std::string bundled = bundled_module(module, unit.name); !bundled.empty()) module = bundled;
    switch (request.kind) {
    case Request::Kind::module:
        return want(module, reason, out);
    case Request::Kind::family:
        return answer_family(unit, request, reason, out);
    case Request::Kind::all_in:
        reason.verb = "walks through the modules of its package, with";
        reason.optional = true;
        want(module, reason, out);
        return want_pattern(module + ".*", reason, out);
    case Request::Kind::entry_point:
        return answer_entry_point(request, reason, out);
    case Request::Kind::from_module: {
        std::string taken = module + "." + request.name;
        std::string meant = meant_by(taken);
        if (stands_for_.contains(taken) || (!meant.empty() && finder_.find(meant)))
            return want(taken, reason, out);
        want(module, reason, out);
        if (meant_by(module).empty() && finder_.find(module).is_package && finder_.find(taken))
            want(taken, reason, out);
        return;
    }
    case Request::Kind::everything_of: {
        want(module, reason, out);
        const FoundModule& found = finder_.find(module);
        if (!found || !found.is_package || found.kind != FoundModule::Kind::source) return;
        // __all__ may name submodules; other texts of the file, too.
        reason.optional = true;
        auto source = MappedFile::open(found.file);
        if (!source || source->text().find("__all__") == std::string_view::npos) return;
        for (const StringAt& string : scan(source->text(), module, module, scan_facts_).path_strings)
            if (string.text.find_first_of("./ -") == std::string::npos &&
                finder_.find(module + "." + string.text))
                want(module + "." + string.text, reason, out);
        return;
    }
    }
}

bool PythonRuntime::covered_by_include(const std::string& prefix) const {
    return std::ranges::any_of(project_.include,
                               [&](const std::string& pattern) { return pattern.starts_with(prefix); });
}

/// What rehearsals saw at the same line weighs less: the rest of it may well be nothing.
void PythonRuntime::note_computed_import(const std::string& file, std::uint32_t line, const std::string& what,
                                         Expansion& out) {
    std::string position = fmt::format("{}:{}", relative_to(file, project_.folder.string()), line);
    auto seen = std::ranges::count(project_.rehearsed.modules, position, &Rehearsed::Module::from);
    out.loose_ends.push_back(
        {.kind = "computed-import",
         .what = seen == 0 ? what
                           : fmt::format("{}; rehearsals saw {} there", what,
                                         seen == 1 ? "one" : std::to_string(seen)),
         .file = file,
         .line = line,
         .effect = "the module is missing from the output unless something else brings it in",
         .advice = "run it with `omnistasis rehearse`, or name the modules with --include or trace.include",
         .minor = seen > 0});
}

void PythonRuntime::answer_family(const Unit& unit, const Request& request, const Reason& reason,
                                  Expansion& out) {
    Reason why = reason;
    why.optional = true;
    std::string package = parent_of(request.module);
    // "pkg.prefix_" and "pkg." name what is in a package; "pkg" alone may begin anything.
    if (package.empty()) {
        if (unit.own)
            note_computed_import(
                unit.file, request.line,
                fmt::format("a module whose name begins with {} is imported", request.module), out);
        return;
    }
    want(package, why, out);
    std::size_t count = 0;
    for (const std::string& name : finder_.modules_in(package))
        if (name.starts_with(request.module)) {
            want(name, why, out);
            ++count;
        }
    if (unit.own && !covered_by_include(request.module))
        out.loose_ends.push_back(
            {.kind = "computed-import",
             .what = fmt::format("the module's name is computed: all {} that begin with {} are taken", count,
                                 request.module),
             .file = unit.file,
             .line = request.line,
             .effect = "the output may hold more than is needed",
             .advice =
                 fmt::format("settle it with --include '{}*' or the names that are needed", request.module)});
}

namespace {

/// Takes away the lore for other versions than the installed ones.
void drop_unmet_lore(Lore& lore, const Facts& facts) {
    bool has_conditions =
        std::ranges::any_of(lore, [](const auto& entry) { return !entry.second.versions.empty(); });
    if (!has_conditions) return;
    std::map<std::string, std::string> versions{
        {"python", fmt::format("{}.{}.{}", facts.major, facts.minor, facts.micro)}};
    for (const Distribution& distribution : find_distributions(facts.search_path))
        versions.emplace(distribution.name, distribution.version);
    std::erase_if(lore, [&](const auto& entry) {
        return std::ranges::any_of(entry.second.versions, [&](const auto& condition) {
            auto installed = versions.find(normalized_distribution_name(condition.first));
            return installed == versions.end() ||
                   !meets_version_condition(installed->second, condition.second);
        });
    });
}

} // namespace

bool is_python_source(const std::filesystem::path& file) {
    if (file.extension() == ".py" || file.extension() == ".pyw") return true;
    auto text = MappedFile::open(file);
    if (!text || !text->text().starts_with("#!")) return false;
    return text->text().substr(0, text->text().find('\n')).find("python") != std::string_view::npos;
}

std::vector<Recognised> recognise_runtimes(const std::filesystem::path&) { return {}; }

namespace {

Result<void> check_target(const std::string& target) {
    if (target == host_target()) return {};
    return fail(ErrorKind::missing,
                fmt::format("Python is built for this machine's system alone, {}", host_target()), "",
                fmt::format("packages and interpreter of {} can't be asked here", target));
}

} // namespace

Result<std::string> usual_runtime(const std::string& target) {
    if (auto right = check_target(target); !right) return pass_on(right);
    auto interpreter = find_interpreter("", fs::current_path(), fs::current_path());
    if (!interpreter) return pass_on(interpreter);
    return "Python, " + *interpreter;
}

Result<std::unique_ptr<trace::Runtime>> make_python_runtime(const Project& project,
                                                            const std::filesystem::path& data,
                                                            std::shared_ptr<Store> store,
                                                            trace::EntryCheck check) {
    if (auto right = check_target(project.targets.front()); !right) return pass_on(right);
    std::string home = project.runtime_home;
    if (home.empty() && project.is_installed) home = interpreter_of_script(project.folder / project.entry);
    // What the system installed runs with the system's own.
    if (home.empty() && project.is_installed && project.folder.string().starts_with("/usr/") &&
        is_file("/usr/bin/python3"))
        home = "/usr/bin/python3";
    auto interpreter = find_interpreter(home, project.folder, project.own_folder);
    if (!interpreter) return pass_on(interpreter);
    std::string entry = read_entry(project).file;
    auto facts = ask_interpreter(*interpreter, data / "python", entry, check == trace::EntryCheck::now);
    if (!facts) return pass_on(facts);
    if (!facts->entry_error.empty())
        return fail(ErrorKind::bad_input, "the entry point is no valid Python source",
                    facts->entry_error_line ? fmt::format("{}:{}", entry, facts->entry_error_line) : entry,
                    facts->entry_error,
                    fmt::format("the interpreter in use is Python {}.{}, {}", facts->major, facts->minor,
                                facts->executable));
    if (auto unpacked = unpack_zipped_packages(facts->search_path); !unpacked) return pass_on(unpacked);
    Project whole = project;
    if (!project.is_installed) whole.root_folder = root_of_sources(project, *facts);
    auto lore = read_lore(data / "lore" / "python");
    if (!lore) return pass_on(lore);
    for (const std::string& file : project.lore)
        if (auto read = read_lore_file(project.folder / file, *lore); !read) return pass_on(read);
    drop_unmet_lore(*lore, *facts);
    return std::unique_ptr<trace::Runtime>(
        std::make_unique<PythonRuntime>(std::move(whole), std::move(*facts), std::move(*lore),
                                        data / "python", data / "lore" / "python", std::move(store)));
}

} // namespace omnistasis::python
