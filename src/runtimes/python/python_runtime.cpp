#include "runtimes/python/python_runtime.h"

#include "native/elf_reader.h"
#include "native/loader_cache.h"
#include "runtimes/python/distributions.h"
#include "runtimes/python/module_finder.h"
#include "runtimes/python/module_store.h"
#include "runtimes/python/notes.h"
#include "runtimes/python/package_data.h"
#include "runtimes/python/places.h"
#include "runtimes/python/scanner.h"
#include "runtimes/python/typelib.h"
#include "support/files.h"
#include "support/near_match.h"
#include "support/pattern.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <fmt/format.h>
#include <set>
#include <unordered_set>

namespace omnistasis::python {

namespace {

using trace::Expansion;
using trace::Need;
using trace::Reason;
using trace::Unit;
using trace::UnitKind;

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

/// Parts of the standard library that nothing imports by a name in a string by chance.
constexpr std::array<std::string_view, 8> never_by_chance{"test", "idlelib",     "turtledemo", "lib2to3",
                                                          "this", "antigravity", "turtle",     "distutils"};

/// Bytes of dotted names.
constexpr auto is_name_byte = [] {
    std::array<bool, 256> table{};
    for (unsigned char c :
         std::string_view("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_."))
        table[c] = true;
    return table;
}();

std::string parent_of(const std::string& name) {
    std::size_t dot = name.rfind('.');
    return dot == std::string::npos ? std::string() : name.substr(0, dot);
}

/// What follows `prefix` in a name, where that is a single part; else nothing.
std::string relative_name(const std::string& name, std::string_view prefix) {
    if (!name.starts_with(prefix)) return {};
    std::string rest = name.substr(prefix.size());
    return rest.find('.') == std::string::npos ? rest : std::string();
}

std::string top_of(const std::string& name) { return name.substr(0, name.find('.')); }

class PythonRuntime : public trace::Runtime {
  public:
    PythonRuntime(Project project, Facts facts, Notes notes, std::filesystem::path helpers,
                  std::filesystem::path notes_folder)
        : project_(std::move(project)), facts_(std::move(facts)), notes_(std::move(notes)),
          helpers_(std::move(helpers)), notes_folder_(std::move(notes_folder)), places_(project_, facts_), finder_(facts_, search_path()) {
        scan_facts_.major = facts_.major;
        scan_facts_.minor = facts_.minor;
        scan_facts_.platform = facts_.platform;
        for (const auto& [module, note] : notes_)
            stands_for_.insert(note.stands_for.begin(), note.stands_for.end());
        for (const auto& [module, note] : notes_)
            for (const auto& [name, modules] : note.when_named) {
                watched_.add(name);
                named_rules_.emplace(name, std::pair(module, modules));
            }
        scan_facts_.watched = &watched_;
    }

    std::string title() const override {
        return fmt::format("Python {}.{}.{}", facts_.major, facts_.minor, facts_.micro);
    }

    Result<Expansion> roots() override;
    Expansion expand(const Unit& unit) override;
    std::vector<std::pair<trace::UnitId, Need>> settle(const std::vector<Unit>& units) override;
    std::filesystem::path program() const override { return facts_.program; }
    Result<std::vector<trace::MadeFile>> make_files(const std::vector<Unit>& code, unsigned jobs,
                                                    Observer& observer) override;

    std::string application_place() const override { return places_.of_root(project_.folder.string()); }
    trace::Start start() const override {
        return {program_place(),
                {"-E", "-s", "-S", "{tree}/" + places_.library() + "/_omnistasis_main.pyc", "{self}",
                 "{arguments}"}};
    }
    std::vector<trace::InnerLauncher> inner_launchers() const override {
        return {{interpreter_place(), {program_place(), {"-E", "-s", "-S", "{arguments}"}}}};
    }

  private:
    /// What the settling pass looks at.
    struct Scanned {
        std::string name;
        std::string file;
        std::string root;
        bool own = false;
        bool standard = false;
        ScanResult result;
    };

    std::string entry_file() const { return (project_.folder / project_.entry).string(); }
    /// The interpreter carries the application's name, so that lists of processes show that one.
    std::string program_place() const {
        std::string place = "bin/" + project_.name;
        return place == interpreter_place() ? place + "-program" : place;
    }
    /// What sys.executable names: a launcher that starts the interpreter as isolated as we do.
    std::string interpreter_place() const {
        return "bin/" + std::filesystem::path(facts_.program).filename().string();
    }
    std::string entry_module() const;
    std::string main_folder() const;
    std::vector<std::string> search_path() const;
    bool excluded(const std::string& name) const;

    Unit unit_of(const std::string& name, const FoundModule& found) const;
    void want(const std::string& name, const Reason& reason, Expansion& out);
    void want_pattern(const std::string& pattern, const Reason& reason, Expansion& out);
    std::string absolute_module(const Request& request, const std::string& from);
    void note_shadowing(const Unit& unit, Expansion& out);
    bool has_no_occasion(const Request& request, const std::string& from, const ScanResult& scan);
    void answer(const Unit& unit, const Request& request, Expansion& out);
    void answer_entry_point(const Request& request, const Reason& reason, Expansion& out);
    void answer_family(const Unit& unit, const Request& request, const Reason& reason, Expansion& out);
    void scan_source(const Unit& unit, Expansion& out);
    void scan_extension(const Unit& unit, Expansion& out);
    void want_word(const Unit& unit, const std::string& name, const Reason& reason, Expansion& out);
    void want_system_paths(const Unit& unit, const ScanResult& result, Expansion& out);
    void want_codecs(const ScanResult& result, const std::string& file, bool own, bool standard,
                     Expansion& out);
    void want_typelib(const std::string& name, const ScanResult& scan, const Reason& reason, Expansion& out);
    void apply_notes(const Unit& unit, Expansion& out);
    void apply_metadata(const Unit& unit, const ScanResult& result, Expansion& out);
    void want_metadata(const Distribution& distribution, const Reason& reason, Expansion& out);
    const std::vector<Distribution>& distributions();
    void want_dotted_string(const Scanned& scanned, const StringAt& string, Expansion& out);
    std::vector<std::string> near_names(const std::string& name);
    bool covered_by_include(const std::string& prefix) const;

    Project project_;
    Facts facts_;
    Notes notes_;
    std::filesystem::path helpers_;
    std::filesystem::path notes_folder_;
    Places places_;
    ModuleFinder finder_;
    ScanFacts scan_facts_;
    WatchedNames watched_;
    std::map<std::string, std::string> stands_for_; ///< names that a note knows, to the modules that they are
    std::map<std::string, std::map<std::string, std::string>> moved_; ///< module, path of the system, place
    /// Name that occurs, to the module that must be there too and what is needed then.
    std::multimap<std::string, std::pair<std::string, std::vector<std::string>>> named_rules_;
    std::mutex mutex_;
    std::vector<Scanned> scanned_;
    std::size_t settled_ = 0;
    std::set<std::string> import_suffixes_;  ///< what import calls put behind names that they compute
    std::set<std::string> by_name_packages_; ///< top-level packages known to import by name
    std::once_flag distributions_read_;
    std::vector<Distribution> distributions_;
    std::vector<StoredName> stored_names_;
    BootConfig boot_;
};

std::string PythonRuntime::entry_module() const {
    // A package's __main__.py runs as the package does: python -m package.
    fs::path entry = project_.entry;
    if (entry.filename() != "__main__.py" ||
        !fs::exists(project_.folder / entry.parent_path() / "__init__.py"))
        return {};
    std::string name = "__main__";
    fs::path folder = (project_.folder / entry).parent_path();
    for (; fs::exists(folder / "__init__.py") && folder.has_filename(); folder = folder.parent_path())
        name = folder.filename().string() + "." + name;
    return name;
}

std::string PythonRuntime::main_folder() const {
    fs::path folder = (project_.folder / project_.entry).parent_path();
    if (!entry_module().empty())
        while (fs::exists(folder / "__init__.py") && folder.has_filename()) folder = folder.parent_path();
    return folder.string();
}

std::vector<std::string> PythonRuntime::search_path() const {
    std::vector<std::string> path{main_folder()};
    path.insert(path.end(), facts_.search_path.begin(), facts_.search_path.end());
    return path;
}

bool PythonRuntime::excluded(const std::string& name) const {
    return std::ranges::any_of(project_.exclude, [&](const std::string& pattern) {
        return fits_pattern(name, pattern) || (!is_pattern(pattern) && name.starts_with(pattern + ".")) ||
               (pattern.ends_with(".*") && name == pattern.substr(0, pattern.size() - 2));
    });
}

Unit PythonRuntime::unit_of(const std::string& name, const FoundModule& found) const {
    Unit unit;
    unit.name = name;
    switch (found.kind) {
    case FoundModule::Kind::extension:
        unit.kind = UnitKind::extension;
        break;
    case FoundModule::Kind::built_in:
    case FoundModule::Kind::frozen:
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
    unit.own = places_.is_own(found.root);
    unit.of_runtime = places_.is_standard(found.root);
    return unit;
}

/// Wants a module with all the packages that it is in.
void PythonRuntime::want(const std::string& name, const Reason& reason, Expansion& out) {
    if (name.empty() || excluded(name)) return;
    if (name == "os.path") return want("posixpath", reason, out);
    if (auto meant = stands_for_.find(name); meant != stands_for_.end()) {
        want(top_of(name), reason, out);
        return want(meant->second, reason, out);
    }
    for (std::size_t dot = name.find('.');; dot = name.find('.', dot + 1)) {
        std::string part = name.substr(0, dot);
        const FoundModule& found = finder_.find(part);
        if (!found) {
            // A name below a module that is no package can only be made while the application runs.
            const FoundModule& parent = finder_.find(parent_of(part));
            bool made_at_run_time = !parent_of(part).empty() && parent && !parent.is_package;
            Reason why = reason;
            why.optional |= made_at_run_time;
            out.unanswered.push_back(
                {part, why, why.optional ? std::vector<std::string>() : near_names(part),
                 why.optional ? std::string() : finder_.other_build(part)});
            return;
        }
        Reason why = reason;
        if (dot != std::string::npos) why.verb = fmt::format("{} {}, which is in", reason.verb, name);
        out.needs.push_back({unit_of(part, found), why});
        if (dot == std::string::npos) return;
    }
}

std::vector<std::string> PythonRuntime::near_names(const std::string& name) {
    return near_matches(name, finder_.modules_in(parent_of(name)));
}

/// A pattern of the project: a name, or `name.*` for all that is in a package, at any depth.
void PythonRuntime::want_pattern(const std::string& pattern, const Reason& reason, Expansion& out) {
    if (pattern == "{build_data}") return want(facts_.build_data, reason, out);
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
    if (matches == 0 && !reason.optional) out.unanswered.push_back({pattern, reason, near_names(package), {}});
}

Result<Expansion> PythonRuntime::roots() {
    Expansion out;
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

    std::string module = entry_module();
    Reason entry{"is the entry point", project_.project_file.string(), 0, false};
    if (!module.empty()) want(parent_of(module), entry, out);
    Unit main{UnitKind::code, "__main__", entry_file(), places_.of(entry_file(), project_.folder.string()),
              true};
    out.needs.push_back({main, entry});
    for (const std::string& pattern : project_.include)
        want_pattern(pattern, {"is included by the project", project_.project_file.string(), 0, false}, out);
    return out;
}

Expansion PythonRuntime::expand(const Unit& unit) {
    Expansion out;
    if (unit.kind == UnitKind::code) scan_source(unit, out);
    if (unit.kind == UnitKind::extension) scan_extension(unit, out);
    if (unit.kind != UnitKind::data && unit.kind != UnitKind::native) apply_notes(unit, out);
    return out;
}

void PythonRuntime::scan_source(const Unit& unit, Expansion& out) {
    std::string name = unit.name == "__main__" && !entry_module().empty() ? entry_module() : unit.name;
    const FoundModule& found = finder_.find(name);
    bool package = found.is_package && name != "__main__";
    auto source = MappedFile::open(unit.file);
    if (!source) return;
    Scanned scanned;
    scanned.name = name;
    scanned.file = unit.file;
    scanned.root = unit.name == "__main__" ? project_.folder.string() : found.root;
    scanned.own = unit.own;
    scanned.standard = places_.is_standard(scanned.root);
    ScanFacts facts = scan_facts_;
    facts.is_main = unit.name == "__main__";
    facts.keeps_strings = !scanned.standard;
    scanned.result =
        scan(source->text(), facts.is_main ? "__main__" : name, package ? name : parent_of(name), facts);
    Unit self = unit;
    self.name = name;
    for (const Request& request : scanned.result.requests)
        if (!has_no_occasion(request, name, scanned.result)) answer(self, request, out);
    if (scanned.own)
        for (std::uint32_t line : scanned.result.unknown_imports)
            out.loose_ends.push_back(
                {"computed-import", "a module is imported by a computed name", unit.file, line,
                 "the module is missing from the output unless something else brings it in",
                 "name the modules with --include or trace.include"});
    for (const Request& request : scanned.result.requests) {
        bool from = request.level == 0 && request.module == "gi.repository" && !request.name.empty();
        std::string name = from ? request.name : relative_name(request.module, "gi.repository.");
        if (!name.empty())
            want_typelib(name, scanned.result, {"imports, as an introspected library,", unit.file, request.line, true},
                         out);
    }
    note_shadowing(self, out);
    apply_metadata(self, scanned.result, out);
    want_codecs(scanned.result, unit.file, scanned.own, scanned.standard, out);
    if (!scanned.own && !scanned.standard) want_system_paths(self, scanned.result, out);
    if (scanned.result.restarts_itself)
        want("runpy", {"starts the interpreter again", unit.file, 0, true}, out);
    if (scanned.own)
        for (auto& [data, line] : named_data(scanned.result, unit.file, scanned.root, project_, places_))
            out.needs.push_back({std::move(data), {"names", unit.file, line, false}});
    std::lock_guard lock(mutex_);
    scanned_.push_back(std::move(scanned));
}

/// The dotted name that a request means, seen from the module that makes it.
std::string PythonRuntime::absolute_module(const Request& request, const std::string& from) {
    if (request.level == 0) return request.module;
    std::string base = finder_.find(from).is_package ? from : parent_of(from);
    for (std::uint32_t up = 1; up < request.level; ++up) base = parent_of(base);
    return base.empty() ? request.module : request.module.empty() ? base : base + "." + request.module;
}

/// Whether a request never comes to be made: a note says so, or it stands in for modules of the standard
/// library that are there.
bool PythonRuntime::has_no_occasion(const Request& request, const std::string& from, const ScanResult& scan) {
    std::string module = absolute_module(request, from);
    std::string taken = request.kind == Request::Kind::from_module ? module + "." + request.name : module;
    auto left_out_by = [&](const std::string& whose) {
        auto [first, last] = notes_.equal_range(whose);
        for (auto note = first; note != last; ++note)
            for (const std::string& left_out : note->second.leave_out)
                if (module == left_out || taken == left_out || module.starts_with(left_out + "."))
                    return true;
        return false;
    };
    if (left_out_by(from)) return true;
    const FoundModule& asking = finder_.find(from);
    bool own = !asking || places_.is_own(asking.root);
    bool standard = places_.is_standard(asking.root);
    if (!own && request.certainty != Certainty::always &&
        (left_out_by("*") || (standard && left_out_by("*standard"))))
        return true;
    if (request.instead_of_first == request.instead_of_last) return false;
    for (std::uint32_t i = request.instead_of_first; i < request.instead_of_last; ++i) {
        const Request& tried = scan.requests[i];
        const FoundModule& found = finder_.find(absolute_module(tried, from));
        bool certain =
            found.kind == FoundModule::Kind::built_in || (found && places_.is_standard(found.root));
        if (!certain || tried.computed) return false;
    }
    return true;
}

/// A file of the project that has the name of a module of the standard library is taken in its place, by the
/// library's own modules too.
void PythonRuntime::note_shadowing(const Unit& unit, Expansion& out) {
    if (!unit.own || unit.name.find('.') != std::string::npos || unit.name == "__main__") return;
    for (const std::string& library : {facts_.standard_library, facts_.platform_library}) {
        std::error_code ignored;
        fs::path base = fs::path(library) / unit.name;
        if (!fs::exists(base.string() + ".py", ignored) && !fs::exists(base / "__init__.py", ignored)) continue;
        out.loose_ends.push_back({"shadows-standard",
                                  fmt::format("this file takes the place of the standard module {}", unit.name),
                                  unit.file, 0, "whatever imports that module gets this file, packages too",
                                  "give the file another name, unless that is what you want"});
        return;
    }
}

void PythonRuntime::answer(const Unit& unit, const Request& request, Expansion& out) {
    Reason reason{request.computed ? "imports by name" : "imports", unit.file, request.line, false};
    // Code of packages often imports inside functions what only some of its users have.
    reason.optional =
        request.certainty == Certainty::guarded || (request.certainty == Certainty::deferred && !unit.own);
    std::string module = absolute_module(request, unit.name);
    switch (request.kind) {
    case Request::Kind::module:
        return want(module, reason, out);
    case Request::Kind::family:
        return answer_family(unit, request, reason, out);
    case Request::Kind::entry_point:
        return answer_entry_point(request, reason, out);
    case Request::Kind::from_module: {
        if (stands_for_.contains(module + "." + request.name))
            return want(module + "." + request.name, reason, out);
        want(module, reason, out);
        const FoundModule& found = finder_.find(module);
        if (found && found.is_package && finder_.find(module + "." + request.name))
            want(module + "." + request.name, reason, out);
        return;
    }
    case Request::Kind::everything_of: {
        want(module, reason, out);
        const FoundModule& found = finder_.find(module);
        if (!found || !found.is_package || found.kind != FoundModule::Kind::source) return;
        // __all__ may name submodules.
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

void PythonRuntime::answer_family(const Unit& unit, const Request& request, const Reason& reason,
                                  Expansion& out) {
    Reason why = reason;
    why.optional = true;
    std::string package = parent_of(request.module);
    // "pkg.prefix_" and "pkg." name what is in a package; "pkg" alone may begin anything.
    if (package.empty()) {
        if (unit.own)
            out.loose_ends.push_back(
                {"computed-import",
                 fmt::format("a module whose name begins with {} is imported", request.module), unit.file,
                 request.line, "the module is missing from the output unless something else brings it in",
                 "name the modules with --include or trace.include"});
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
            {"computed-import",
             fmt::format("the module's name is computed: all {} that begin with {} are taken", count,
                         request.module),
             unit.file, request.line, "the output may hold more than is needed",
             fmt::format("settle it with --include '{}*' or the names that are needed", request.module)});
}

const std::vector<Distribution>& PythonRuntime::distributions() {
    std::call_once(distributions_read_, [this] { distributions_ = find_distributions(search_path()); });
    return distributions_;
}

void PythonRuntime::want_metadata(const Distribution& distribution, const Reason& reason, Expansion& out) {
    fs::path folder = distribution.folder;
    auto add = [&](const fs::path& file, const std::string& place) {
        out.needs.push_back({{UnitKind::data, place, file.string(), place, false}, reason});
    };
    std::string base = places_.site_packages() + "/" + folder.filename().string();
    if (distribution.is_file) return add(folder, base);
    for (const char* name : {"METADATA", "PKG-INFO", "entry_points.txt", "top_level.txt"})
        if (fs::exists(folder / name)) add(folder / name, base + "/" + name);
}

void PythonRuntime::answer_entry_point(const Request& request, const Reason& reason, Expansion& out) {
    std::size_t first = request.module.find('\n');
    std::size_t second = request.module.find('\n', first + 1);
    std::string wanted = request.module.substr(0, first);
    wanted = normalized_distribution_name(wanted.substr(0, wanted.find_first_of("=<>!~ [")));
    std::string group = request.module.substr(first + 1, second - first - 1);
    std::string name = request.module.substr(second + 1);
    for (const Distribution& distribution : distributions()) {
        if (distribution.name != wanted) continue;
        want_metadata(distribution, reason, out);
        auto in_group = distribution.entry_points.find(group);
        if (in_group == distribution.entry_points.end()) break;
        if (auto entry = in_group->second.find(name); entry != in_group->second.end())
            return want(entry->second.substr(0, entry->second.find(':')), reason, out);
    }
    out.unanswered.push_back({fmt::format("the entry point {} of {}", name, wanted), reason, {}, {}});
}

void PythonRuntime::apply_metadata(const Unit& unit, const ScanResult& result, Expansion& out) {
    if (places_.is_standard(finder_.find(unit.name).root)) return;
    for (const StringAt& asked : result.distributions) {
        std::string name = normalized_distribution_name(asked.text);
        for (const Distribution& distribution : distributions())
            if (distribution.name == name)
                want_metadata(distribution, {"asks for the metadata of", unit.file, asked.line, false}, out);
    }
    for (const StringAt& group : result.entry_point_groups)
        for (const Distribution& distribution : distributions()) {
            auto entries = distribution.entry_points.find(group.text);
            if (entries == distribution.entry_points.end()) continue;
            Reason reason{"asks for the entry points " + group.text + " of", unit.file, group.line, true};
            want_metadata(distribution, reason, out);
            for (const auto& [name, value] : entries->second)
                want(value.substr(0, value.find(':')), reason, out);
        }
}

/// Compiled modules keep the names that they import as zero-ended strings.
void PythonRuntime::scan_extension(const Unit& unit, Expansion& out) {
    const FoundModule& found = finder_.find(unit.name);
    if (places_.is_standard(found.root)) return; // the notes know these
    auto file = MappedFile::open(unit.file);
    if (!file || file->text().find("PyImport_") == std::string_view::npos) return;
    auto elf = native::read_elf(file->bytes(), unit.file);
    if (!elf) return;
    std::unordered_set<std::string_view> seen;
    Reason reason{"holds the name of", unit.file, 0, true};
    for (const native::ElfSegment& segment : elf->segments) {
        constexpr std::uint32_t load = 1, executable = 1;
        if (segment.type != load || (segment.flags & executable) != 0) continue;
        std::string_view text = file->text().substr(segment.offset, segment.file_size);
        while (!text.empty()) {
            std::string_view word = text.substr(0, text.find('\0'));
            text.remove_prefix(std::min(word.size() + 1, text.size()));
            bool fits =
                word.size() > 1 && word.size() <= 100 && word.front() != '.' && word.back() != '.' &&
                (word.front() < '0' || word.front() > '9') &&
                std::ranges::all_of(word, [](char c) { return is_name_byte[static_cast<unsigned char>(c)]; });
            if (fits && word.find("..") == std::string_view::npos && seen.insert(word).second)
                want_word(unit, std::string(word), reason, out);
        }
    }
}

/// A word in a compiled module that is the name of a module which it could import.
void PythonRuntime::want_word(const Unit& unit, const std::string& name, const Reason& reason,
                              Expansion& out) {
    std::string top = top_of(name);
    bool dotted = name.size() > top.size();
    // A relative import keeps the last part of the name only.
    if (std::string package = parent_of(unit.name); !dotted && !package.empty()) {
        const FoundModule& sibling = finder_.find(package + "." + name);
        if (sibling && sibling.kind != FoundModule::Kind::namespace_package)
            want(package + "." + name, reason, out);
    }
    if (std::ranges::find(never_by_chance, top) != never_by_chance.end() || !finder_.has_top_level(top))
        return;
    const FoundModule& module = finder_.find(name);
    if (!module || module.kind == FoundModule::Kind::namespace_package) return;
    if (dotted || places_.is_standard(module.root) || module.kind == FoundModule::Kind::built_in ||
        module.kind == FoundModule::Kind::extension || top == top_of(unit.name))
        want(name, reason, out);
}

/// Paths of the system's data folders in a package, as distributions write them into packages that they split:
/// the files come along, and the paths lead into the app tree.
void PythonRuntime::want_system_paths(const Unit& unit, const ScanResult& result, Expansion& out) {
    // What belongs to the desktop or to no package in particular.
    static constexpr std::array<std::string_view, 14> shared{
        "fonts", "icons", "themes", "doc",    "man",  "info",   "locale",
        "mime",  "X11",   "pixmaps", "dict", "sounds", "applications", "glib-2.0"};
    for (const StringAt& string : result.system_paths) {
        std::string path = string.text;
        while (path.ends_with('/')) path.pop_back();
        fs::path inner = fs::path(path).lexically_relative("/usr/share");
        bool in_share = path.starts_with("/usr/share/");
        // A configuration file in /etc is the package's own where it has the package's name.
        if (path.starts_with("/etc/") && !path.starts_with("/etc/ssl/certs/") &&
            path.find(top_of(unit.name)) == std::string::npos)
            continue;
        if (in_share && std::ranges::find(shared, inner.begin()->string()) != shared.end()) continue;
        std::error_code ignored;
        std::string place = "share/" + (in_share ? inner.string() : path.substr(1));
        Reason reason{"reads", unit.file, string.line, false};
        auto need = [&](const std::string& file, const std::string& to) {
            out.needs.push_back({{UnitKind::data, to, file, to, false, false}, reason});
        };
        if (fs::is_regular_file(path, ignored)) {
            need(path, place);
        } else if (in_share && fs::is_directory(path, ignored)) {
            for (const std::string& file : readable_files(path, true, {"posix/**", "right/**"}))
                need(path + "/" + file, place + "/" + file);
        } else {
            continue;
        }
        std::lock_guard lock(mutex_);
        moved_[unit.name][path] = place;
    }
}

/// Text encodings are modules that are found by their names (codecs, "Standard Encodings").
void PythonRuntime::want_codecs(const ScanResult& result, const std::string& file, bool own, bool standard,
                                Expansion& out) {
    for (const StringAt& codec : result.codecs) {
        std::string name;
        for (char c : codec.text)
            name +=
                c == '-' || c == ' ' ? '_' : static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        if (auto alias = facts_.codecs.find(name); alias != facts_.codecs.end()) name = alias->second;
        bool is_name = !name.empty() &&
                       name.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789_") == std::string::npos;
        if (is_name && name != "aliases" && finder_.find("encodings." + name))
            want("encodings." + name, {"names the encoding", file, codec.line, true}, out);
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
        want_pattern(
            "encodings.*",
            {"computes the name of an encoding, so brings in all:", file, result.computed_codec, true}, out);
}

/// A namespace of an introspected library: its description, those that it depends on, and the libraries themselves.
void PythonRuntime::want_typelib(const std::string& name, const ScanResult& scan, const Reason& reason,
                                 Expansion& out) {
    want("gi.overrides." + name, reason, out);
    std::vector<std::string> versions;
    for (const StringAt& string : scan.path_strings) versions.push_back(string.text);
    static const native::LoaderCache libraries = native::LoaderCache::read();
    std::vector<std::string> open{find_typelib(name, versions)};
    std::set<std::string> seen;
    for (std::size_t i = 0; i < open.size(); ++i) {
        auto file = MappedFile::open(open[i]);
        if (open[i].empty() || !seen.insert(open[i]).second || !file) continue;
        auto typelib = read_typelib(file->bytes());
        if (!typelib) continue;
        std::string place = "lib/girepository-1.0/" + fs::path(open[i]).filename().string();
        out.needs.push_back({{UnitKind::data, place, open[i], place, false, false}, reason});
        for (const std::string& dependency : typelib->dependencies) {
            std::size_t dash = dependency.rfind('-');
            if (dash != std::string::npos)
                open.push_back(find_typelib(dependency.substr(0, dash), {dependency.substr(dash + 1)}));
        }
        for (const std::string& library : typelib->libraries)
            for (const std::string& found : libraries.find(fs::path(library).filename().string())) {
                std::error_code failed;
                std::string real = fs::canonical(found, failed).string();
                std::string to = "lib/" + fs::path(library).filename().string();
                if (!failed) out.needs.push_back({{UnitKind::native, to, real, to, false, false}, reason});
                break;
            }
    }
}

void PythonRuntime::apply_notes(const Unit& unit, Expansion& out) {
    auto [first, last] = notes_.equal_range(unit.name);
    for (auto entry = first; entry != last; ++entry) {
        const Note& note = entry->second;
        Reason reason{"brings in, by a package note,", unit.file, 0, true};
        for (const std::string& pattern : note.include) want_pattern(pattern, reason, out);
        for (const NoteData& data : note.data) {
            for (std::string candidate : data.from) {
                for (auto [word, value] :
                     {std::pair<std::string, std::string>{"{prefix}", facts_.base_prefix},
                      {"{package}", fs::path(unit.file).parent_path().string()},
                                           {"{notes}", notes_folder_.string()}})
                    if (std::size_t at = candidate.find(word); at != std::string::npos)
                        candidate.replace(at, word.size(), value);
                if (fs::is_regular_file(candidate)) {
                    auto content = MappedFile::open(candidate);
                    bool native = content && native::looks_like_elf(content->bytes());
                    out.needs.push_back({{native ? UnitKind::native : UnitKind::data, data.to, candidate, data.to,
                                          false, false},
                                         reason});
                    break;
                }
                if (!fs::is_directory(candidate) ||
                    (!data.holding.empty() && !fs::exists(fs::path(candidate) / data.holding)))
                    continue;
                for (const std::string& file : readable_files(candidate, true, data.without)) {
                    std::string place = data.to + "/" + file;
                    UnitKind kind = is_library_name(file) ? UnitKind::native : UnitKind::data;
                    out.needs.push_back({{kind, place, candidate + "/" + file, place, false, false}, reason});
                }
                break;
            }
        }
    }
}

/// "pkg.mod", "pkg.mod.Class" or "pkg.mod:function", where the module exists.
void PythonRuntime::want_dotted_string(const Scanned& scanned, const StringAt& string, Expansion& out) {
    std::string name = string.text.substr(0, string.text.find(':'));
    bool whole = true;
    while (!name.empty()) {
        const FoundModule& found = finder_.find(name);
        if (found && found.kind != FoundModule::Kind::namespace_package) {
            // import_module("%s.base" % name)
            if (whole && found.is_package)
                for (const std::string& suffix : import_suffixes_) {
                    bool there = finder_.find(name + suffix.substr(0, suffix.find(".*"))).kind !=
                                 FoundModule::Kind::absent;
                    if (there) want_pattern(name + suffix, {"names", scanned.file, string.line, true}, out);
                }
            bool same_package = top_of(name) == top_of(scanned.name);
            bool is_class_path = name.find('.') != std::string::npos || scanned.own;
            if (places_.is_standard(found.root) && !whole) return;
            if (is_class_path && (same_package || whole || scanned.own))
                want(name, {"names", scanned.file, string.line, true}, out);
            return;
        }
        name = parent_of(name);
        whole = false;
    }
}

std::vector<std::pair<trace::UnitId, Need>> PythonRuntime::settle(const std::vector<Unit>& units) {
    std::unordered_map<std::string, trace::UnitId> ids;
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        bool module = units[id].kind == UnitKind::code || units[id].kind == UnitKind::extension;
        if (module)
            ids.emplace(units[id].name == "__main__" && !entry_module().empty() ? entry_module()
                                                                                : units[id].name,
                        id);
    }
    std::vector<std::pair<trace::UnitId, Need>> needs;
    // In the order of names: the order of scanning depends on the threads.
    std::sort(scanned_.begin() + static_cast<std::ptrdiff_t>(settled_), scanned_.end(),
              [](const Scanned& left, const Scanned& right) { return left.name < right.name; });
    for (const auto& [module, note] : notes_)
        if (ids.contains(module)) import_suffixes_.insert(note.parts.begin(), note.parts.end());
    std::size_t before = by_name_packages_.size();
    for (std::size_t i = settled_; i < scanned_.size(); ++i)
        for (const StringAt& suffix : scanned_[i].result.import_suffixes) import_suffixes_.insert(suffix.text);
    for (std::size_t i = settled_; i < scanned_.size(); ++i)
        if (scanned_[i].result.imports_by_name && !scanned_[i].standard)
            by_name_packages_.insert(top_of(scanned_[i].name));
    // A package that turned out to import by name is looked at again from the start.
    std::size_t first = by_name_packages_.size() == before ? settled_ : 0;
    for (std::size_t i = 0; i < scanned_.size(); ++i) {
        const Scanned& scanned = scanned_[i];
        Expansion out;
        for (const StringAt& name : scanned.result.watched) {
            auto [from, to] = named_rules_.equal_range(name.text);
            for (auto rule = from; rule != to; ++rule) {
                const auto& [module, needed] = rule->second;
                if (scanned.name == module || !ids.contains(module)) continue;
                // A name says something about a module only where that module, or the package it is in, is
                // imported.
                bool everywhere = facts_.built_in.contains(module) || module == "os" || module[0] == '_';
                auto imports = [&](const Request& request) {
                    return top_of(absolute_module(request, scanned.name)) == top_of(module);
                };
                if (!everywhere && std::ranges::none_of(scanned.result.requests, imports)) continue;
                for (const std::string& one : needed)
                    want_pattern(one, {"uses " + name.text + ", which needs", scanned.file, name.line, true},
                                 out);
            }
        }
        if (auto id = ids.find(scanned.name); id != ids.end())
            for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
        out.needs.clear();
        if (scanned.standard || i < first) continue;
        if (scanned.own || by_name_packages_.contains(top_of(scanned.name)))
            for (const StringAt& string : scanned.result.dotted_strings)
                want_dotted_string(scanned, string, out);
        std::string folder = fs::path(scanned.file).parent_path().string();
        bool in_package = folder != scanned.root && fs::exists(folder + "/__init__.py");
        if (i >= settled_ && scanned.result.names_own_file && in_package)
            for (Unit& unit : data_units(folder, scanned.root, places_))
                out.needs.push_back(
                    {std::move(unit), {"looks for files beside itself, as", scanned.file, 0, false}});
        auto id = ids.find(scanned.name);
        if (id == ids.end()) continue;
        for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
    }
    settled_ = scanned_.size();
    return needs;
}

Result<std::vector<trace::MadeFile>> PythonRuntime::make_files(const std::vector<Unit>& units, unsigned jobs,
                                                               Observer& observer) {
    BootConfig config;
    config.main_place = places_.of(entry_file(), project_.folder.string());
    config.main_folder = places_.of_root(main_folder());
    config.entry_module = entry_module();
    config.interpreter = interpreter_place();
    config.path = {config.main_folder, places_.library(), places_.library() + "/lib-dynload",
                   places_.site_packages()};

    config.moved = moved_;

    std::vector<Unit> modules;
    std::vector<StoredName> names;
    std::vector<ModuleStore::Source> sources;
    std::vector<std::size_t> real_files;
    for (const Unit& unit : units) {
        auto [first, last] = notes_.equal_range(unit.name);
        for (auto note = first; note != last; ++note) {
            if (!note->second.during.empty()) config.during[unit.name] = note->second.during;
            for (const auto& [module, paths] : note->second.moved)
                config.moved[module == "{build_data}" ? facts_.build_data : module].insert(paths.begin(),
                                                                                           paths.end());
        }
        if (unit.kind == UnitKind::extension) {
            names.push_back({unit.name, unit.kind, unit.place, {}});
        } else if (unit.kind == UnitKind::folder) {
            StoredName name{unit.name, unit.kind, {}, {}};
            const FoundModule& found = finder_.find(unit.name);
            for (const std::string& folder : found.folders)
                name.folders.push_back(places_.of(folder, found.root));
            names.push_back(std::move(name));
        } else if (unit.kind == UnitKind::code) {
            // The interpreter has the code of its frozen modules in itself.
            if (facts_.frozen.contains(unit.name) && !unit.own) continue;
            // `encodings` is the first module that the interpreter looks for; ours comes in with it.
            sources.push_back({unit.file, unit.place, 0, unit.name == "encodings" ? "_omnistasis" : ""});
            modules.push_back(unit);
        }
    }
    // Besides the modules: our own two.
    std::size_t count = sources.size();
    std::string library = places_.library();
    sources.push_back({(helpers_ / "boot.py").string(), library + "/_omnistasis.py", 0, ""});
    sources.push_back({(helpers_ / "main.py").string(), library + "/_omnistasis_main.py", 0, ""});

    ModuleStore store(facts_, helpers_);
    auto compiled = store.compile(sources, jobs, observer);
    if (!compiled) return tl::make_unexpected(compiled.error());

    std::vector<trace::MadeFile> files;
    std::vector<Unit> kept;
    std::vector<std::string> codes;
    for (std::size_t i = 0; i < count; ++i) {
        const ModuleStore::Compiled& code = (*compiled)[i];
        if (!code.error.empty()) {
            // Packages carry files for other versions that never get imported; the application's own are no
            // such.
            if (!modules[i].own) continue;
            return fail(ErrorKind::bad_input, "a source file of the application can't be compiled",
                        fmt::format("{}:{}", sources[i].file, code.error_line), code.error,
                        fmt::format("leave it out with --exclude {} if it is not needed", modules[i].name));
        }
        // It is looked for before our finder is there, so it stands in the tree as a file.
        if (modules[i].name == "encodings") {
            files.push_back({modules[i].place + "c", store.bytecode_file(code.code), 0644});
            continue;
        }
        kept.push_back(modules[i]);
        codes.push_back(code.code);
    }
    files.push_back({library + "/_omnistasis.pyc", store.bytecode_file((*compiled)[count].code), 0644});
    files.push_back(
        {library + "/_omnistasis_main.pyc", store.bytecode_file((*compiled)[count + 1].code), 0644});
    // The landmarks by which the interpreter knows its own tree.
    files.push_back({library + "/os.pyc", "", 0644});
    files.push_back({library + "/lib-dynload/.landmark", "", 0644});
    files.push_back({library + "/modules.store", ModuleStore::pack(kept, codes, names, config), 0644});
    return files;
}

} // namespace

bool is_python_source(const std::filesystem::path& file) {
    if (file.extension() == ".py" || file.extension() == ".pyw") return true;
    auto text = MappedFile::open(file);
    if (!text || !text->text().starts_with("#!")) return false;
    return text->text().substr(0, text->text().find('\n')).find("python") != std::string_view::npos;
}

Result<std::unique_ptr<trace::Runtime>> make_python_runtime(const Project& project,
                                                            const std::filesystem::path& data) {
    auto interpreter = find_interpreter(project.runtime_home, project.folder);
    if (!interpreter) return tl::make_unexpected(interpreter.error());
    std::string entry = (project.folder / project.entry).string();
    auto facts = ask_interpreter(*interpreter, data / "python", entry);
    if (!facts) return tl::make_unexpected(facts.error());
    if (!facts->entry_error.empty())
        return fail(ErrorKind::bad_input, "the entry point is no valid Python source",
                    facts->entry_error_line ? fmt::format("{}:{}", entry, facts->entry_error_line) : entry,
                    facts->entry_error,
                    fmt::format("the interpreter in use is Python {}.{}, {}", facts->major, facts->minor,
                                facts->executable));
    auto notes = read_notes(data / "notes" / "python");
    if (!notes) return tl::make_unexpected(notes.error());
    return std::unique_ptr<trace::Runtime>(
        std::make_unique<PythonRuntime>(project, std::move(*facts), std::move(*notes), data / "python", data / "notes" / "python"));
}

} // namespace omnistasis::python
