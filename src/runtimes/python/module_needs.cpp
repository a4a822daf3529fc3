#include "runtimes/python/module_needs.h"

#include "native/elf_reader.h"
#include "native/loader_cache.h"
#include "runtimes/python/cython_strings.h"
#include "runtimes/python/package_data.h"
#include "support/kept_words.h"
#include "support/pattern.h"
#include "trace/rehearsed_ends.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <fmt/format.h>
#include <unordered_set>
#include <utility>

namespace omnistasis::python {

/// Paths of the system's data folders in a package, as distributions write them into packages that they
/// split: the files come along, and the paths lead into the app tree.
void ModuleNeeds::want_system_paths(const Unit& unit, const ScanResult& result, Expansion& out) {
    // What belongs to the desktop or to no package in particular.
    static constexpr std::array<std::string_view, 14> shared{
        "fonts", "icons", "themes",  "doc",  "man",    "info",         "locale",
        "mime",  "X11",   "pixmaps", "dict", "sounds", "applications", "glib-2.0"};
    for (const StringAt& string : result.system_paths) {
        std::string path = string.text;
        while (path.size() > 1 && path.ends_with('/')) path.pop_back();
        if (unit.own && own_.want_own_path(unit, path, string.line, out)) continue;
        // An own program that names the system's folder means the system; an installed one its own.
        bool may_be_carried = path.starts_with("/usr/share/") || path.starts_with("/etc/");
        if (!may_be_carried || (unit.own && !ground_.project.is_installed)) continue;
        fs::path inner = fs::path(path).lexically_relative("/usr/share");
        bool in_share = path.starts_with("/usr/share/");
        // A configuration file in /etc is the package's own where it has the package's name.
        if (path.starts_with("/etc/") && !path.starts_with("/etc/ssl/certs/") &&
            path.find(top_of(unit.name)) == std::string::npos)
            continue;
        if (in_share && std::ranges::find(shared, inner.begin()->string()) != shared.end()) continue;
        std::string place = "share/" + (in_share ? inner.string() : path.substr(1));
        Reason reason{"reads", unit.file, string.line, false};
        auto need = [&](const std::string& file, const std::string& to) {
            out.needs.push_back({file_unit(UnitKind::data, file, to), reason});
        };
        std::string there = ground_.path_in_system(path);
        if (is_file(there)) {
            need(there, place);
        } else if (in_share && is_folder(there)) {
            for (const std::string& file : readable_files(there, true, {"posix/**", "right/**"}))
                need(there + "/" + file, place + "/" + file);
        } else {
            continue;
        }
        std::lock_guard lock(gathered_.mutex);
        gathered_.moved[unit.name][path] = place;
    }
}

/// Text encodings are modules that are found by their names (codecs, "Standard Encodings").
void ModuleNeeds::want_codecs(const ScanResult& result, const std::string& file, bool own, bool standard,
                              Expansion& out) {
    for (const StringAt& codec : result.codecs) {
        std::string name;
        for (char c : codec.text)
            name +=
                c == '-' || c == ' ' ? '_' : static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        if (auto alias = ground_.facts.codecs.find(name); alias != ground_.facts.codecs.end())
            name = alias->second;
        bool is_name = !name.empty() &&
                       name.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789_") == std::string::npos;
        if (is_name && name != "aliases" && ground_.finder.find("encodings." + name))
            imports_.want("encodings." + name, {"names the encoding", file, codec.line, true}, out);
    }
    // A package that passes a codec's name on has it from its caller; one that reads texts from outside from
    // anywhere.
    auto reads_texts = [](const Request& request) {
        static constexpr std::array<std::string_view, 6> sources{
            "codecs", "email", "http", "chardet", "charset_normalizer", "encodings"};
        return request.level == 0 && std::ranges::find(sources, top_of(request.module)) != sources.end();
    };
    bool from_anywhere = own || (!standard && std::ranges::any_of(result.requests, reads_texts));
    if (result.computed_codec != 0 && from_anywhere)
        imports_.want_pattern(
            "encodings.*",
            {"computes the name of an encoding, so brings in all:", file, result.computed_codec, true}, out);
}

/// Libraries that code opens by itself, with ctypes, cffi or the like.
void ModuleNeeds::want_opened_libraries(const Unit& unit, const ScanResult& scan, Expansion& out) {
    for (const StringAt& library : scan.libraries) {
        // Packages try one name after the other.
        Reason reason{"opens the library", unit.file, library.line, true};
        bool beside = is_there(fs::path(unit.file).parent_path() / library.text) ||
                      is_there(ground_.project.folder / library.text);
        if (beside || ground_.want_opened_library(library.text, reason, out) || !unit.own) continue;
        out.loose_ends.push_back({.kind = "missing-library",
                                  .what = fmt::format("{} is not found", library.text),
                                  .file = unit.file,
                                  .line = library.line,
                                  .effect = "the call that opens it fails, as it does from source",
                                  .advice = "install the package that holds the library",
                                  .minor = true});
    }
    if (unit.own && scan.computed_library != 0 && scan.libraries.empty())
        out.loose_ends.push_back(
            {.kind = "computed-library",
             .what = "a library is opened by a computed name",
             .file = unit.file,
             .line = scan.computed_library,
             .effect = "the library is missing from the output unless something else brings it in",
             .advice = "run it with `omnistasis rehearse`, or carry the library with --asset"});
}

/// A package whose parts are loaded when they are used, and are listed in a stub file beside its own.
void ModuleNeeds::want_stubs(const Unit& unit, const std::string& module, Expansion& out) {
    std::string file = unit.file + "i";
    auto result = ground_.scans.scan_file(file, module, module, ground_.scan_facts);
    if (!result) return;
    out.needs.push_back(
        {file_unit(UnitKind::data, file, unit.place + "i"), {"reads the stub file", unit.file, 0, false}});
    Unit from = unit;
    from.name = module;
    from.file = file;
    for (Request request : result->requests) {
        request.certainty = Certainty::guarded;
        metadata_.answer(from, request, out);
    }
}

/// A file of the project that has the name of a module of the standard library is taken in its place, by the
/// library's own modules too.
void ModuleNeeds::note_shadowing(const Unit& unit, Expansion& out) {
    if (!unit.own || unit.name.find('.') != std::string::npos || unit.name == "__main__") return;
    for (const std::string& library : {ground_.facts.standard_library, ground_.facts.platform_library}) {
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
    for (const std::string& other : ground_.finder.elsewhere(unit.name))
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
void ModuleNeeds::note_surroundings(const Unit& unit, const ScanResult& scan, Expansion& out) {
    if (!unit.own) return;
    if (scan.asks_for_source != 0 && !ground_.project.sources && ground_.facts.compiles())
        out.loose_ends.push_back(
            {.kind = "asks-for-source",
             .what = "a source text is asked for: the application's own sources go along",
             .file = unit.file,
             .line = scan.asks_for_source,
             .effect =
                 "they can be read in the output; for modules of packages the call fails with an OSError",
             .advice = "set sources = true under [runtime] in omnistasis.toml if those are needed, too"});
    for (const StringAt& path : scan.written_paths) {
        // A relative path is the caller's, unless the application starts in its own folder.
        bool is_relative = path.text.front() != '/';
        if (is_relative && (!ground_.project.starts_in_own_folder() || scan.changes_folder)) continue;
        std::string inner = relative_to((ground_.project.folder / path.text).lexically_normal().string(),
                                        ground_.project.folder.string());
        if (!inner.empty() && !ground_.project.is_state(inner))
            out.loose_ends.push_back(trace::writes_own_file(inner, unit.file, path.line));
    }
    if (ground_.project.starts_in_own_folder() || scan.changes_folder) return;
    for (const StringAt& path : scan.opened_paths) {
        if (path.text == "." || !is_there(ground_.project.folder / path.text)) continue;
        out.loose_ends.push_back(
            trace::opens_relative_path(path.text, unit.file, path.line, "open it relative to __file__"));
    }
}

Expansion ModuleNeeds::all_asked_by(const Unit& unit) {
    Expansion out;
    if (trace::is_module(unit.kind))
        imports_.want(parent_of(unit.name), {"is in the package", unit.file, 0, false}, out);
    if (unit.kind == UnitKind::code) scan_source(unit, out);
    if (unit.kind == UnitKind::extension) {
        extensions_.scan_extension(unit, out);
        scan_source_of_extension(unit, out);
        companions_.hold_back_unrelated(unit, out);
    }
    if (unit.kind != UnitKind::data && unit.kind != UnitKind::native) lore_.apply_lore(unit, out);
    return out;
}

/// A module that was compiled from Python may have its source beside it, which says what it imports.
void ModuleNeeds::scan_source_of_extension(const Unit& unit, Expansion& out) {
    std::string file = unit.file.substr(0, unit.file.find('.', unit.file.rfind('/') + 1)) + ".py";
    const FoundModule& found = ground_.finder.find(unit.name);
    if (ground_.places.is_standard(found.root) ||
        !ground_.finder.has_entry(fs::path(file).parent_path(), fs::path(file).filename()))
        return;
    ScanFacts facts = ground_.scan_facts;
    facts.file = file;
    auto result =
        ground_.scans.scan_file(file, unit.name, found.is_package ? unit.name : parent_of(unit.name), facts);
    if (!result) return;
    for (const Request& request : result->requests)
        if (!imports_.has_no_occasion(request, unit.name, *result)) metadata_.answer(unit, request, out);
}

std::optional<Scanned> ModuleNeeds::scanned_source(const Unit& unit) {
    std::string name =
        unit.name == "__main__" && !ground_.main_module().empty() ? ground_.main_module() : unit.name;
    const FoundModule& found = ground_.finder.find(name);
    bool package = found.is_package && name != "__main__";
    Scanned scanned;
    scanned.name = name;
    scanned.file = unit.file;
    scanned.root = unit.name == "__main__" && ground_.main_module().empty() ? ground_.project.folder.string()
                                                                            : found.root;
    scanned.own = unit.own;
    scanned.standard = ground_.places.is_standard(scanned.root);
    ScanFacts facts = ground_.scan_facts;
    facts.is_main = unit.name == "__main__";
    facts.keeps_strings = !scanned.standard;
    facts.is_own = scanned.own;
    facts.file = unit.file;
    const std::string own_name = facts.is_main ? "__main__" : name;
    const std::string parent = package ? name : parent_of(name);
    if (found.kind == FoundModule::Kind::bytecode) {
        scanned.result = scan(ground_.sketches.of(unit.file), own_name, parent, facts);
        // There is no text with such lines.
        for (Request& request : scanned.result.requests) request.line = 0;
        return scanned;
    }
    auto result = ground_.scans.scan_file(unit.file, own_name, parent, facts);
    if (!result) return std::nullopt;
    scanned.result = std::move(*result);
    return scanned;
}

void ModuleNeeds::scan_source(const Unit& unit, Expansion& out) {
    if (unit.file.starts_with(ground_.helpers.string())) return; // our own
    auto read = scanned_source(unit);
    if (!read) return;
    Scanned& scanned = *read;
    const std::string& name = scanned.name;
    Unit self = unit;
    self.name = name;
    // What is asked for at the top of a module is asked for when it is imported, whatever becomes of it.
    Expansion at_once;
    for (const Request& request : scanned.result.requests)
        if ((scanned.own || request.taken_names.empty()) &&
            !imports_.has_no_occasion(request, name, scanned.result))
            metadata_.answer(self, request, request.certainty == Certainty::guarded ? at_once : out);
    if (scanned.own)
        for (std::uint32_t line : scanned.result.unknown_imports)
            imports_.note_computed_import(unit.file, line, "a module is imported by a computed name", out);
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
        if (ground_.finder.find(code.text))
            imports_.want(code.text, {"imports, in a text,", unit.file, code.line, true}, out);
    note_shadowing(self, out);
    note_surroundings(self, scanned.result, out);
    // Shown sources are files beside where their modules' code would be.
    if (ground_.project.sources)
        out.needs.push_back({file_unit(UnitKind::data, unit.file, unit.place),
                             {"goes along as source, for", unit.file, 0, true}});
    metadata_.apply_metadata(self, scanned.result, out);
    want_codecs(scanned.result, unit.file, scanned.own, scanned.standard, out);
    if (!scanned.standard) want_system_paths(self, scanned.result, out);
    if (!scanned.standard) want_opened_libraries(self, scanned.result, out);
    if (scanned.result.reads_stubs) want_stubs(self, name, out);
    if (scanned.result.restarts_itself)
        imports_.want("runpy", {"starts the interpreter again", unit.file, 0, true}, out);
    if (scanned.own)
        for (auto& [data, line] : named_data(scanned.result, unit.file, scanned.root, ground_.project,
                                             ground_.places, ground_.finder))
            out.needs.push_back({std::move(data), {"names", unit.file, line, false}});
    companions_.hold_back_unrelated(self, out);
    std::ranges::move(at_once.needs, std::back_inserter(out.needs));
    std::ranges::move(at_once.unanswered, std::back_inserter(out.unanswered));
    std::ranges::move(at_once.loose_ends, std::back_inserter(out.loose_ends));
    std::lock_guard lock(gathered_.mutex);
    gathered_.scanned.push_back(std::move(scanned));
}

} // namespace omnistasis::python
