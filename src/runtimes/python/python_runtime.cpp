#include "runtimes/python/python_runtime.h"

#include "native/mach_o_loader.h"
#include "runtimes/python/lexer.h"
#include "support/hash.h"
#include "support/near_match.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <set>
#include <span>

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

Result<Expansion> PythonRuntime::roots() {
    Expansion out = rehearsals_.recall(ground_.project.rehearsed);
    Reason runtime{"is part of every Python application", "", 0, false};
    Unit program{UnitKind::program, fs::path(ground_.facts.program).filename().string(),
                 ground_.facts.program, ground_.program_place(), false};
    out.needs.push_back({program, runtime});
    for (std::string_view name : always_needed) imports_.want(std::string(name), runtime, out);
    // The interpreter looks for it before it loads any compiled module: those of several versions need it.
    if (ground_.here && system_of(ground_.facts.target) == System::windows)
        ground_.want_opened_library("python3.dll", runtime, out);
    // From 3.13 on the interpreter prints exceptions with it.
    if (ground_.facts.minor >= 13) imports_.want("traceback", runtime, out);
    // Any of the one-byte encodings may be the locale's, and the interpreter does not start without it.
    for (const std::string& name : ground_.finder.modules_in("encodings"))
        for (const char* family : {"encodings.iso8859_", "encodings.koi8_", "encodings.cp125"})
            if (name.starts_with(family))
                imports_.want(name, {"may be the encoding of the user's locale", "", 0, false}, out);

    if (auto found = ground_.find_entry_module(); !found) return pass_on(found);
    ground_.application = ground_.find_application();
    Reason entry{"is the entry point", ground_.project.project_file.string(), 0, false};
    if (ground_.entry.kind == Entry::Kind::module) imports_.want(parent_of(ground_.entry.module), entry, out);
    if (ground_.entry.kind == Entry::Kind::function) {
        imports_.want(ground_.entry.module, entry, out);
        note_entry_function(out);
    }
    out.needs.push_back({ground_.main_unit(), entry});
    for (const std::string& pattern : ground_.project.include)
        imports_.want_pattern(
            pattern, {"is included by the project", ground_.project.project_file.string(), 0, false}, out);
    return out;
}

/// The entry's function may be made while the module runs, but its name has to be there.
void PythonRuntime::note_entry_function(Expansion& out) {
    auto source = MappedFile::open(ground_.entry.file);
    if (!source || ground_.finder.find(ground_.entry.module).kind != FoundModule::Kind::source) return;
    std::string name = top_of(ground_.entry.function);
    std::set<std::string> names;
    Lexer lexer(source->text());
    for (std::vector<Token> line; lexer.next_line(line);)
        for (const Token& token : line)
            if (token.kind == TokenKind::name) names.insert(std::string(token.text));
    if (names.contains(name)) return;
    auto near = near_matches(name, {names.begin(), names.end()});
    out.loose_ends.push_back({.kind = "no-entry-function",
                              .what = fmt::format("{} names no {}", ground_.entry.module, name),
                              .file = ground_.entry.file,
                              .line = 0,
                              .effect = "the application stops when it starts",
                              .advice = near.empty()
                                            ? "name a function of the module in app.entry"
                                            : fmt::format("did you mean {}?", fmt::join(near, ", "))});
}

Expansion PythonRuntime::expand(const Unit& unit) {
    Expansion out = needs_of_modules_.all_asked_by(unit);
    for (Need& need : out.needs) ground_.settle_kind(need.unit);
    if (companions_.is_companion(unit))
        companions_.restrain(unit, out);
    else
        companions_.note_asked(unit, out.needs);
    return out;
}

std::string PythonRuntime::reading_of(const Unit& unit) {
    bool names_are_read = ground_.entry.kind == Entry::Kind::function && unit.file == ground_.entry.file;
    if (unit.kind != UnitKind::code || names_are_read || gathered_.searched.contains(unit.file)) return {};
    auto scanned = needs_of_modules_.scanned_source(unit);
    if (!scanned) return {};
    // Of the names that are taken only those matter that bring something in.
    std::erase_if(scanned->result.names_taken,
                  [this](std::uint32_t name) { return !gathered_.late_names.contains(name); });
    Sha256 hash = sha256(stored_form(scanned->result));
    return {hash.begin(), hash.end()};
}

Result<void> PythonRuntime::relearn(std::string_view learned) {
    gathered_.relearn(learned);
    auto found = ground_.find_entry_module();
    ground_.application = ground_.find_application();
    return found;
}

std::string PythonRuntime::library_for(const std::string& name, const std::string& file) {
    std::string folder = parent_folder_of(file);
    if (system_of(ground_.facts.target) == System::macos)
        if (std::string moved = native::moved_library(name, ground_.facts.base_prefix); !moved.empty())
            return moved;
    std::string found = ground_.library_of_packages(fs::path(name).filename().string(), file);
    if (found.empty() || system_of(ground_.facts.target) != System::windows) return found;
    // Windows looks beside what was loaded and beside the program.
    std::string place = parent_folder_of(place_of_library(found));
    if (parent_folder_of(found) != folder && place != ground_.facts.programs_place)
        gathered_.library_folders.insert(place);
    return found;
}

UnitNeeds PythonRuntime::finalize(const std::vector<Unit>& units) {
    UnitIds ids;
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        const Unit& unit = units[id];
        bool has_other_name = unit.name == "__main__" && !ground_.main_module().empty();
        if (unit.kind == UnitKind::code || unit.kind == UnitKind::extension)
            ids.emplace(has_other_name ? ground_.main_module() : unit.name, id);
    }
    UnitNeeds needs;
    strings_.settle(units, ids, needs);
    metadata_.settle_entry_points(ids, needs);
    strings_.settle_sources(units, ids, needs);
    programs_.settle_programs(ids, needs);
    settings_.settle_settings(units, ids, needs);
    gathered_.settled = gathered_.scanned.size();
    std::size_t asked = needs.size();
    own_.settle_own(ids, needs);
    introspected_.settle_typelibs(ids, needs);
    qml_.settle_qml(units, ids, needs);
    companions_.settle_companions(ids, needs);
    companions_.settle_distributions(units, needs);
    // What was asked for in this very pass may have become a companion since.
    for (const auto& [id, need] : std::span(needs).first(asked))
        if (companions_.is_companion(need.unit) && !companions_.is_companion(units[id]))
            companions_.ask_for(need.unit.name);
    trials_.settle_trials(units, needs);
    // Last: what goes along with distributions is known by then, and may be needed now.
    taken_names_.settle_taken_names(units, ids, needs);
    for (auto& [id, need] : needs) ground_.settle_kind(need.unit);
    return needs;
}

std::set<std::string> PythonRuntime::made_by_others() {
    std::set<std::string> names;
    for (const Scanned& scanned : gathered_.scanned)
        for (const StringAt& module : scanned.result.registered) names.insert(module.text);
    return names;
}

std::vector<trace::LooseEnd> PythonRuntime::final_loose_ends() {
    std::vector<trace::LooseEnd> ends = gathered_.ends;
    if (!trials_.trouble().empty())
        ends.push_back(trace::packages_not_asked(trials_.trouble(), ground_.facts.executable));
    for (const trace::NeededPackage& one : packages_.missing())
        if (one.is_optional)
            ends.push_back({.kind = "optional-package",
                            .what = fmt::format("{} is not there for {}", one.name, ground_.facts.target),
                            .file = one.file,
                            .line = one.line,
                            .effect = "the application does without it there",
                            .advice = "omnistasis packages fetch brings it, where it exists for that system",
                            .minor = true});
    std::ranges::move(packages_.differences(), std::back_inserter(ends));
    return ends;
}

} // namespace omnistasis::python
