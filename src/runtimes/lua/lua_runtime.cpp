#include "runtimes/lua/lua_runtime.h"

#include "project/own_files.h"
#include "runtimes/lua/lua_language.h"
#include "support/files.h"
#include "support/near_match.h"
#include "support/pattern.h"
#include "trace/opened_library.h"
#include "trace/rehearsed_ends.h"
#include "trace/started_program.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::lua {

namespace {

std::string project_base(const Project& project) {
    std::string own = real_path(project.own_folder.string());
    std::string entry = real_path((project.folder / project.entry).string());
    return relative_to(entry, own).empty() ? real_path(project.folder.string()) : own;
}

std::vector<std::string> folders_of_start(const Project& project) {
    std::vector<std::string> folders{real_path(project.folder.string())};
    std::string of_entry = parent_folder_of(real_path((project.folder / project.entry).string()));
    for (const std::string& folder : {project_base(project), of_entry})
        if (std::ranges::find(folders, folder) == folders.end()) folders.push_back(folder);
    return folders;
}

} // namespace

LuaRuntime::LuaRuntime(Project project, Facts facts, std::filesystem::path helpers,
                       std::shared_ptr<Store> store)
    : project_(std::move(project)), facts_(std::move(facts)), helpers_(std::move(helpers)),
      store_(std::move(store)), entry_(real_path((project_.folder / project_.entry).string())),
      base_(project_base(project_)), folder_(real_path(project_.folder.string())),
      finder_(facts_, project_.is_installed ? std::vector<std::string>() : folders_of_start(project_)),
      rocks_(finder_.roots(), facts_.version) {}

bool LuaRuntime::is_own(const std::string& file) const {
    if (file == entry_) return true;
    std::string inner = relative_to(file, base_);
    return !inner.empty() && !project_.is_installed && !inner.starts_with("lua_modules/") &&
           !inner.starts_with(".luarocks/");
}

bool LuaRuntime::is_excluded(const std::string& name) const {
    return std::ranges::any_of(project_.exclude, [&](const std::string& pattern) {
        return fits_pattern(name, pattern) || (!is_pattern(pattern) && name.starts_with(pattern + "."));
    });
}

/// The folder of modules that a file of a package is below; empty where it is below none.
std::string LuaRuntime::root_of(const std::string& file) const {
    std::string nearest;
    for (const std::string& root : finder_.roots())
        if (root.size() > nearest.size() && !relative_to(file, root).empty()) nearest = root;
    return nearest;
}

/// What is in the project keeps its place there, below app/; packages of the system lie below one folder of
/// Lua modules and one of C modules.
std::string LuaRuntime::place_of(const std::string& file) const {
    std::string inner = project_.is_installed ? std::string() : relative_to(file, base_);
    if (!inner.empty() || file == entry_) return "app/" + (inner.empty() ? base_name(file) : inner);
    std::string root = root_of(file);
    if (root.empty()) return "share/files" + file;
    bool of_c = root.find("/lib/") != std::string::npos;
    return fmt::format("{}/lua/{}/{}", of_c ? "lib" : "share", facts_.version, relative_to(file, root));
}

std::string LuaRuntime::application_place() const {
    std::string inner = relative_to(folder_, base_);
    return inner.empty() ? "app" : "app/" + inner;
}

Unit LuaRuntime::file_unit(UnitKind kind, const std::string& file) const {
    Unit unit;
    unit.kind = kind;
    unit.file = file;
    unit.place = place_of(file);
    unit.name = unit.place;
    unit.own = is_own(file);
    if (const Rock* rock = rocks_.of_file(file)) unit.part = rock->name;
    return unit;
}

/// A file that is not loaded as a module: what ends as sources do is one.
Unit LuaRuntime::source_or_data(const std::string& file) const {
    return file_unit(file.ends_with(".lua") ? UnitKind::script : UnitKind::data, file);
}

Unit LuaRuntime::entry_unit() const {
    // Its name is its place: a module may have the name that it has without a folder.
    return file_unit(UnitKind::code, entry_);
}

Unit LuaRuntime::module_unit(const FoundModule& found) const {
    bool of_c = found.kind == FoundModule::Kind::extension;
    Unit unit = file_unit(of_c ? UnitKind::extension : UnitKind::code, found.file);
    unit.name = found.name;
    unit.of_runtime = found.file.find("/luajit-") != std::string::npos && !unit.own;
    return unit;
}

/// A text of a source with the paths that its marks of files and folders stand for.
std::string LuaRuntime::with_paths(const std::string& text, const std::string& source) const {
    std::string path;
    for (char c : text) {
        if (c == own_folder)
            path += parent_folder_of(source);
        else if (c == own_file)
            path += source;
        else if (c == entry_folder)
            path += parent_folder_of(entry_);
        else if (c == entry_file)
            path += entry_;
        else
            path += c;
    }
    return path;
}

/// The path that a text of a source means; empty where only a run knows it.
std::string LuaRuntime::path_of(const std::string& text, const std::string& source) const {
    if (text.find(unknown) != std::string::npos || text.find(path_before) != std::string::npos) return {};
    std::string path = with_paths(text, source);
    if (!path.starts_with('/')) path = folder_ + "/" + path;
    return fs::path(path).lexically_normal().string();
}

/// The project's own files; none of a command that is installed.
const OwnFiles& LuaRuntime::own_files() {
    if (!own_files_) own_files_ = project_.is_installed ? OwnFiles{} : find_own_files(project_);
    return *own_files_;
}

/// Where own sources say that modules are: package.path is the same for all of them, whichever runs first.
void LuaRuntime::add_search_paths() {
    std::vector<std::string> sources{entry_};
    for (const std::string& file : own_files().files)
        if (file.ends_with(".lua")) sources.push_back(base_ + "/" + file);
    for (const std::string& source : sources) {
        auto scan = scan_file(source, module_name_of(source), *store_);
        if (!scan) continue;
        for (const TextAt& name : scan->preloaded) preloaded_.insert(name.text);
        for (const auto& [list, of_c] : {std::pair{&scan->lua_path, false}, std::pair{&scan->c_path, true}})
            for (const TextAt& value : *list) finder_.add(with_paths(value.text, source), of_c);
    }
}

/// The name that an own source would be required by: `...` gives it that.
std::string LuaRuntime::module_name_of(const std::string& file) const {
    if (file == entry_) return {};
    std::string root = root_of(file), inner = root.empty() ? std::string() : relative_to(file, root);
    if (!inner.ends_with(".lua")) return {};
    inner.resize(inner.size() - 4);
    if (inner.ends_with("/init")) inner.resize(inner.size() - 5);
    std::ranges::replace(inner, '/', '.');
    return inner;
}

Result<Expansion> LuaRuntime::roots() {
    if (!facts_.wrong_entry.empty())
        return fail(
            ErrorKind::bad_input, "the entry point is not valid Lua", entry_, facts_.wrong_entry,
            fmt::format("it has to run with {}; name another interpreter with --runtime", facts_.program));
    add_search_paths();
    Expansion out;
    Reason needed{"is needed to run", "", 0, false};
    Unit interpreter{UnitKind::program, program_place(), facts_.program, program_place(), false};
    interpreter.of_runtime = true;
    out.needs.push_back({std::move(interpreter), needed});
    out.needs.push_back({entry_unit(), {"is the entry point of", "", 0, false}});
    for (const std::string& pattern : project_.include) {
        Reason named{"is named by the project", project_.project_file.string(), 0, false};
        std::string name;
        for (char c : pattern) name += c == '*' ? unknown : c;
        if (is_pattern(pattern)) {
            for (const std::string& one : finder_.matching(name)) want_module(one, named, out);
        } else if (finder_.find(pattern)) {
            want_module(pattern, named, out);
        } else if (!trace::want_opened_library(pattern, named, out)) {
            out.unanswered.push_back({pattern, named, {}, {}});
        }
    }
    return out;
}

void LuaRuntime::want_module(const std::string& name, const Reason& reason, Expansion& out) {
    const FoundModule& found = finder_.find(name);
    if (!found || found.kind == FoundModule::Kind::built_in || is_excluded(found.name)) return;
    out.needs.push_back({found.file == entry_ ? entry_unit() : module_unit(found), reason});
}

void LuaRuntime::answer(const Unit& unit, const Request& request, Expansion& out) {
    Reason reason{"requires", unit.file, request.line,
                  request.is_guarded || (request.is_deferred && !unit.own)};
    if (request.name.find(unknown) != std::string::npos) {
        reason.optional = true;
        for (const std::string& one : finder_.matching(request.name)) want_module(one, reason, out);
        return;
    }
    if (is_excluded(request.name) || preloaded_.contains(request.name)) return;
    if (finder_.find(request.name)) return want_module(request.name, reason, out);
    // What may be missing is not told, so nobody asks what was meant.
    std::vector<std::string> near;
    if (!reason.optional) near = near_matches(request.name, finder_.matching(std::string(1, unknown)));
    out.unanswered.push_back(
        {request.name, reason, std::move(near), finder_.for_other_version(request.name)});
}

/// Where a source requires by computed names, the texts that are names of modules count as such.
void LuaRuntime::answer_names(const Unit& unit, const ScanResult& scan, Expansion& out) {
    if (scan.unknown_module == 0 && !unit.own) return;
    std::string top = unit.name.substr(0, unit.name.find('.'));
    for (const TextAt& name : scan.names) {
        bool is_dotted = name.text.find('.') != std::string::npos;
        bool is_sibling = name.text.starts_with(top + ".");
        bool counts = unit.own ? is_dotted || scan.unknown_module != 0 : is_dotted || is_sibling;
        if (counts && finder_.find(name.text))
            want_module(name.text, {"names", unit.file, name.line, true}, out);
    }
    if (scan.unknown_module == 0) return;
    bool is_carried = project_.own_files && !project_.is_installed;
    out.loose_ends.push_back({.kind = "computed-import",
                              .what = "a module is required by a computed name",
                              .file = unit.file,
                              .line = scan.unknown_module,
                              .effect = "a module that only this line names may be missing",
                              .advice = "name it with --include MODULE, or let `omnistasis rehearse` see it",
                              .minor = !unit.own || is_carried});
}

/// Files that are run or read by constant paths.
void LuaRuntime::answer_paths(const Unit& unit, const ScanResult& scan, Expansion& out) {
    for (const auto& [list, verb] : {std::pair{&scan.files, "runs"}, std::pair{&scan.paths, "reads"}})
        for (const TextAt& text : *list) {
            std::string path = path_of(text.text, unit.file);
            if (path.empty() || !is_file(path) || path == entry_) continue;
            if (!is_own(path) && root_of(path).empty()) continue;
            out.needs.push_back({source_or_data(path), {verb, unit.file, text.line, true}});
        }
    for (const auto* list : {&scan.files, &scan.opened})
        for (const TextAt& text : *list) {
            bool is_relative = !text.text.empty() && text.text.front() != '/' &&
                               text.text.find_first_of("\1\2\3\4\5\6") == std::string::npos;
            bool is_there = is_relative && unit.own && is_file(folder_ + "/" + text.text);
            if (!is_there || project_.starts_in_own_folder() || project_.is_installed) continue;
            out.loose_ends.push_back(trace::opens_relative_path(text.text, unit.file, text.line,
                                                                "put the folder of arg[0] in front of it"));
        }
}

/// What a source does that an output can't carry by itself.
void LuaRuntime::note_effects(const Unit& unit, const ScanResult& scan, Expansion& out) {
    for (const TextAt& text : scan.written) {
        std::string path = unit.own ? path_of(text.text, unit.file) : std::string();
        std::string inner = relative_to(path, folder_);
        if (!inner.empty() && is_file(path) && !project_.is_state(inner))
            out.loose_ends.push_back(trace::writes_own_file(inner, unit.file, text.line));
    }
    for (const TextAt& library : scan.libraries) {
        std::string name = base_name(library.text);
        // ffi.load completes a bare name.
        if (name.find('.') == std::string::npos) name = (name.starts_with("lib") ? "" : "lib") + name + ".so";
        std::string beside = path_of(library.text, unit.file);
        Reason reason{"opens the library", unit.file, library.line, true};
        if (library.text.find(unknown) != std::string::npos) continue;
        if (is_file(beside) && (is_own(beside) || !root_of(beside).empty()))
            out.needs.push_back({file_unit(UnitKind::native, beside), reason});
        else if (!trace::want_opened_library(name, reason, out) && unit.own)
            out.loose_ends.push_back({.kind = "missing-library",
                                      .what = fmt::format("{} is not found", name),
                                      .file = unit.file,
                                      .line = library.line,
                                      .effect = "the call that opens it fails, as it does from source",
                                      .advice = "install the library, or expect the error"});
    }
    std::set<std::string> told;
    for (const TextAt& program : scan.programs) {
        std::string name = trace::program_in(program.text);
        if (name.empty() || !told.insert(name).second) continue;
        if (auto end = trace::starts_program(project_, name, unit.file, program.line, !unit.own))
            out.loose_ends.push_back(std::move(*end));
    }
}

Expansion LuaRuntime::expand(const Unit& unit) {
    Expansion out;
    if (!trace::is_source(unit.kind)) return out;
    if (unit.file == entry_) out = recall(project_.rehearsed);
    auto scan = scan_file(unit.file, module_name_of(unit.file), *store_);
    if (!scan) return out;
    if (!scan->compiled_for.empty()) {
        std::string fitting = facts_.is_jit() ? "LuaJIT" : "Lua " + facts_.version;
        if (scan->compiled_for != fitting)
            out.loose_ends.push_back(
                {.kind = "unfit-chunk",
                 .what = fmt::format("it is compiled for {}", scan->compiled_for),
                 .file = unit.file,
                 .line = 0,
                 .effect = fmt::format("{} can't load it", title()),
                 .advice = "compile it for the project's interpreter, or ship its source"});
        return out;
    }
    for (const Request& request : scan->modules) answer(unit, request, out);
    answer_names(unit, *scan, out);
    answer_paths(unit, *scan, out);
    note_effects(unit, *scan, out);
    bool is_companion = false;
    {
        std::lock_guard lock(mutex_);
        is_companion = companions_.contains(unit.name);
    }
    if (is_companion) restrain(unit, out);
    return out;
}

std::string LuaRuntime::reading_of(const Unit& unit) {
    auto scan = scan_file(unit.file, module_name_of(unit.file), *store_);
    return scan ? stored_form(*scan) : std::string();
}

Result<std::string> usual_runtime(const std::string& target) {
    if (target != host_target())
        return fail(ErrorKind::missing, fmt::format("there is no Lua for {}", target), "",
                    "Lua applications are built for the machine that builds them",
                    "build it on a machine of that kind");
    if (std::string program = usual_interpreter(); !program.empty()) return "Lua, " + real_path(program);
    return fail(ErrorKind::missing, "there is no Lua on this machine", "", "no interpreter is on PATH",
                "install one, as lua5.4");
}

Result<std::unique_ptr<trace::Runtime>> make_lua_runtime(const Project& project,
                                                         const std::filesystem::path& data,
                                                         std::shared_ptr<Store> store,
                                                         trace::EntryCheck check) {
    if (project.targets.front() != host_target())
        if (auto possible = usual_runtime(project.targets.front()); !possible) return pass_on(possible);
    std::string entry =
        check == trace::EntryCheck::now ? real_path((project.folder / project.entry).string()) : "";
    auto facts = find_lua(project, data / "lua", entry, *store);
    if (!facts) return pass_on(facts);
    return std::unique_ptr<trace::Runtime>(
        std::make_unique<LuaRuntime>(project, std::move(*facts), data / "lua", std::move(store)));
}

} // namespace omnistasis::lua
