#include "runtimes/python/python_runtime.h"

#include "native/native_kind.h"
#include "runtimes/python/lexer.h"
#include "runtimes/python/package_data.h"
#include "runtimes/python/python_language.h"
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

} // namespace omnistasis::python
