// Import statements and calls: which module a request means, whether it comes to be made at all, and what is
// taken or told where it can't be resolved.
#include "runtimes/python/package_data.h"
#include "runtimes/python/python_runtime.h"
#include "support/near_match.h"
#include "support/pattern.h"
#include "trace/rehearsed_ends.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis::python {

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
            trace::opens_relative_path(path.text, unit.file, path.line, "open it relative to __file__"));
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

} // namespace omnistasis::python
