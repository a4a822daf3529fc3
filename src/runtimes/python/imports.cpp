// Import statements and calls: which module a request means, whether it comes to be made at all, and what is
// taken or told where it can't be resolved.
#include "runtimes/python/imports.h"

#include "native/native_kind.h"
#include "runtimes/python/package_data.h"
#include "support/near_match.h"
#include "support/pattern.h"
#include "trace/rehearsed_ends.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis::python {

bool Imports::has_no_occasion(const Request& request, const std::string& from, const ScanResult& scan) {
    std::string module = ground_.absolute_module(request, from);
    std::string taken = request.kind == Request::Kind::from_module ? module + "." + request.name : module;
    auto left_out_by = [&](const std::string& whose) {
        for (const LoreEntry* lore_entry : ground_.lore_of(whose))
            for (const std::string& left_out : lore_entry->leave_out)
                if (module == left_out || taken == left_out || module.starts_with(left_out + "."))
                    return true;
        return false;
    };
    if (left_out_by(from)) return true;
    const FoundModule& asking = ground_.finder.find(from);
    bool own = !asking || ground_.places.is_own(asking.root);
    bool standard = ground_.places.is_standard(asking.root);
    // A tool for development that is there all the same, as the application itself, needs what such tools
    // need.
    if (!own && request.certainty != Certainty::always &&
        (left_out_by("*") || (standard && left_out_by("*standard"))) &&
        !ground_.is_development_tool(top_of(from)))
        return true;
    if (request.instead_of_first == request.instead_of_last) return false;
    for (std::uint32_t i = request.instead_of_first; i < request.instead_of_last; ++i) {
        const Request& tried = scan.requests[i];
        const FoundModule& found = ground_.finder.find(ground_.absolute_module(tried, from));
        bool certain =
            found.kind == FoundModule::Kind::built_in || (found && ground_.places.is_standard(found.root));
        if (!certain || tried.computed || may_lack(found, tried.name)) return false;
    }
    return true;
}

/// Whether a module may be without a name that is taken from it: `from socket import _fileobject`.
bool Imports::may_lack(const FoundModule& module, const std::string& name) {
    if (name.empty() || module.kind != FoundModule::Kind::source) return false;
    {
        std::lock_guard lock(gathered_.mutex);
        gathered_.searched.insert(module.file);
    }
    auto source = MappedFile::open(module.file);
    if (!source || source->text().find(name) != std::string_view::npos) return false;
    // What another module hands on wholesale does not stand in the text; names with a bar are not handed on.
    return name.starts_with('_') || source->text().find("import *") == std::string_view::npos;
}

/// A package that brings others in its own folder makes them known under their own names while it runs: a
/// name that is found nowhere else is that one. Empty where it is none.
std::string Imports::bundled_module(const std::string& module, const std::string& from) {
    std::string top = top_of(module);
    if (module.empty() || ground_.finder.may_have("", top)) return {};
    if (ground_.here && ground_.here->finder.may_have("", top)) return {}; // it is a package that lacks
    for (const char* folder :
         {"", "._vendor", ".vendor", "._vendored", ".vendored", ".extern", ".packages", ".libs"}) {
        std::string inside = top_of(from) + folder;
        if (!ground_.finder.may_have(inside, top)) continue;
        std::string whole = inside + "." + module;
        if (ground_.finder.find(inside + "." + top) && ground_.finder.find(whole)) return whole;
    }
    return {};
}

Reason Imports::reason_of(const Unit& unit, const Request& request) {
    Reason reason{request.computed ? "imports by name" : "imports", unit.file, request.line, false};
    // Code of packages often imports inside functions what only some of its users have; and so does an
    // installed application.
    bool is_deferred = request.certainty == Certainty::deferred;
    bool is_for_some = !unit.own || (ground_.application != nullptr &&
                                     !ground_.finder.find(ground_.absolute_module(request, unit.name)));
    reason.optional = request.certainty == Certainty::guarded || (is_deferred && is_for_some);
    return reason;
}

void Imports::answer(const Unit& unit, const Request& request, Expansion& out) {
    if (unit.own && !request.computed) {
        std::lock_guard lock(gathered_.mutex);
        std::string module = ground_.absolute_module(request, unit.name);
        gathered_.imported.insert(module);
        if (request.kind == Request::Kind::from_module)
            gathered_.imported.insert(module + "." + request.name);
    }
    Reason reason = reason_of(unit, request);
    std::string module = ground_.absolute_module(request, unit.name);
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
        return;
    case Request::Kind::from_module: {
        std::string taken = module + "." + request.name;
        std::string meant = ground_.meant_by(taken);
        if (ground_.stands_for.contains(taken) || (!meant.empty() && ground_.finder.find(meant)))
            return want(taken, reason, out);
        want(module, reason, out);
        if (ground_.meant_by(module).empty() && ground_.finder.find(module).is_package &&
            ground_.finder.find(taken))
            want(taken, reason, out);
        return;
    }
    case Request::Kind::everything_of: {
        want(module, reason, out);
        const FoundModule& found = ground_.finder.find(module);
        if (!found || !found.is_package || found.kind != FoundModule::Kind::source) return;
        // __all__ may name submodules; other texts of the file, too.
        reason.optional = true;
        auto source = MappedFile::open(found.file);
        if (!source || source->text().find("__all__") == std::string_view::npos) return;
        for (const StringAt& string : scan(source->text(), module, module, ground_.scan_facts).path_strings)
            if (string.text.find_first_of("./ -") == std::string::npos &&
                ground_.finder.find(module + "." + string.text))
                want(module + "." + string.text, reason, out);
        return;
    }
    }
}

bool Imports::covered_by_include(const std::string& prefix) const {
    return std::ranges::any_of(ground_.project.include,
                               [&](const std::string& pattern) { return pattern.starts_with(prefix); });
}

void Imports::note_computed_import(const std::string& file, std::uint32_t line, const std::string& what,
                                   Expansion& out) {
    std::string position = fmt::format("{}:{}", relative_to(file, ground_.project.folder.string()), line);
    auto seen = std::ranges::count(ground_.project.rehearsed.modules, position, &Rehearsed::Module::from);
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

void Imports::answer_family(const Unit& unit, const Request& request, const Reason& reason, Expansion& out) {
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
    for (const std::string& name : ground_.finder.modules_in(package))
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

void Imports::want(const std::string& name, const Reason& reason, Expansion& out) {
    if (name.empty() || ground_.excluded(name)) return;
    if (name == "__main__") return; // always there
    if (name == "os.path") return want("posixpath", reason, out);
    if (std::string meant = ground_.meant_by(name); !meant.empty()) {
        if (top_of(name) != name) want(top_of(name), reason, out);
        return want(meant, reason, out);
    }
    // A module brings in the package that it is in when it is expanded itself.
    if (const FoundModule& found = ground_.finder.find(name)) {
        bool is_foreign = found.kind == FoundModule::Kind::extension && ground_.here != nullptr &&
                          !native::kind_of(found.file).fits(ground_.facts.target);
        if (is_foreign)
            return out.unanswered.push_back({name, reason, {}, found.file, advice_for(name, found.file)});
        out.needs.push_back({ground_.unit_of(name, found), reason});
        return;
    }
    if (ground_.here) {
        std::lock_guard lock(gathered_.mutex);
        gathered_.absent_modules.emplace_back(name, reason);
    }
    std::string there = parent_of(name), missing = name;
    for (; !there.empty() && !ground_.finder.find(there); there = parent_of(there)) missing = there;
    Reason why = reason;
    if (!there.empty()) {
        const FoundModule& package = ground_.finder.find(there);
        why.verb = fmt::format("{} {}, which is in", reason.verb, name);
        out.needs.push_back({ground_.unit_of(there, package), why});
        // A name below a module that is no package can only be made while the application runs.
        why.verb = reason.verb;
        why.optional |= !package.is_package;
    }
    bool looks = !why.optional && !ground_.facts.unloadable.contains(missing);
    std::string unfit = looks ? ground_.finder.other_build(missing) : std::string();
    out.unanswered.push_back({missing, why,
                              why.optional ? std::vector<std::string>() : ground_.near_names(missing), unfit,
                              advice_for(missing, unfit)});
}

/// What to do about a module that another system lacks, and of which `unfit` is there for this machine; empty
/// for what is usual.
std::string Imports::advice_for(const std::string& missing, const std::string& unfit) const {
    const std::string& target = ground_.facts.target;
    if (!ground_.here) return {};
    auto unloadable = ground_.facts.unloadable.find(missing);
    if (unloadable != ground_.facts.unloadable.end())
        return fmt::format("the runtime for {} has it, but not {}, which it needs: take another build of the "
                           "runtime, or leave the module out with --exclude",
                           target, unloadable->second);
    if (unfit.empty())
        return fmt::format("name the package that has it in pyproject.toml or requirements.txt and run "
                           "omnistasis packages fetch --target {}, or leave the module out with --exclude",
                           target);
    std::string name = fs::path(unfit).filename().string();
    return fmt::format("build it for {} and put it beside {}, as {}{}", target, unfit,
                       name.substr(0, name.find('.')), ground_.facts.extension_suffixes.front());
}

void Imports::want_pattern(const std::string& pattern, const Reason& reason, Expansion& out) {
    if (pattern == "{build_data}") return want(ground_.facts.build_data, reason, out);
    if (is_library_name(pattern)) {
        if (!ground_.want_opened_library(pattern, reason, out))
            out.unanswered.push_back({pattern, reason, {}, {}});
        return;
    }
    if (!is_pattern(pattern)) return want(pattern, reason, out);
    std::string fixed = pattern.substr(0, pattern.find_first_of("*?"));
    std::string package = parent_of(fixed);
    if (!package.empty()) want(package, reason, out);
    std::vector<std::string> open = ground_.finder.modules_in(package);
    std::size_t matches = 0;
    for (std::size_t i = 0; i < open.size(); ++i) {
        if (fits_pattern(open[i], pattern)) {
            ++matches;
            want(open[i], reason, out);
        }
        if (ground_.finder.find(open[i]).is_package && !package.empty()) {
            auto inner = ground_.finder.modules_in(open[i]);
            open.insert(open.end(), inner.begin(), inner.end());
        }
    }
    if (matches == 0 && !reason.optional)
        out.unanswered.push_back({pattern, reason, ground_.near_names(package), {}});
}

} // namespace omnistasis::python
