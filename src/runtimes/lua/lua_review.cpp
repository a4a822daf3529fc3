// What a watched run shows, and what somebody wants to know before an application is given away.
#include "runtimes/lua/lua_runtime.h"
#include "trace/import_log.h"
#include "trace/opened_library.h"
#include "trace/rehearsed_ends.h"

#include <algorithm>

namespace omnistasis::lua {

Result<trace::SourceRun> LuaRuntime::source_run(const std::filesystem::path&,
                                                const std::vector<std::string>& arguments) {
    trace::SourceRun run;
    run.command = {facts_.program, entry_};
    run.command.insert(run.command.end(), arguments.begin(), arguments.end());
    return run;
}

Result<trace::SourceRun> LuaRuntime::watched_run(const std::filesystem::path& scratch,
                                                 const std::vector<std::string>& arguments) {
    auto run = source_run(scratch, arguments);
    if (!run) return run;
    run->variables = {{"LUA_INIT", "@" + (helpers_ / "watch.lua").string()},
                      {"OMNISTASIS_REHEARSAL", (scratch / "requires").string()}};
    return run;
}

std::vector<trace::SeenModule> LuaRuntime::seen_modules(const std::filesystem::path& scratch) {
    std::vector<trace::SeenModule> seen = trace::read_import_log(scratch / "requires");
    for (trace::SeenModule& module : seen) {
        // A relative one is relative to where it was started.
        if (!module.file.starts_with('/') && !module.file.empty())
            module.file = fs::path(folder_ + "/" + module.file).lexically_normal().string();
        if (const FoundModule& found = finder_.find(module.name)) module.name = found.name;
    }
    return seen;
}

Expansion LuaRuntime::recall(const Rehearsed& facts) {
    Expansion out;
    Reason seen{"was seen in a rehearsal", project_.rehearsed_file.string(), 0, true};
    for (const Rehearsed::Module& module : facts.modules) want_module(module.name, seen, out);
    for (const Rehearsed::File& file : facts.files)
        for (const std::string& root : finder_.roots()) {
            std::string path = (file.package.empty() ? folder_ : root) + "/" + file.path;
            if (!is_file(path)) continue;
            out.needs.push_back({source_or_data(path), seen});
            break;
        }
    for (const std::string& name : facts.libraries) trace::want_opened_library(name, seen, out);
    out.loose_ends = trace::loose_ends_of_rehearsals(project_, facts);
    return out;
}

bool LuaRuntime::is_code_file(const std::filesystem::path& file) {
    std::string path = file.string();
    if (path.ends_with(".lua")) return true;
    // A library of that name may be anything; among modules it is one.
    return path.ends_with(".so") && !root_of(path).empty();
}

std::optional<Rehearsed::File> LuaRuntime::package_file(const std::filesystem::path& file) {
    std::string path = file.string(), root = root_of(path);
    if (root.empty() || is_own(path)) return std::nullopt;
    std::string inner = relative_to(path, root);
    return Rehearsed::File{inner.substr(0, inner.find_first_of("/.")), inner};
}

std::string LuaRuntime::place_asked_for(const std::filesystem::path& file) {
    std::string path = file.string();
    return is_own(path) || !root_of(path).empty() ? place_of(path) : std::string();
}

std::vector<trace::Package> LuaRuntime::packages(const std::vector<Unit>& units) {
    std::map<std::string, trace::Package> by_name;
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        const Rock* rock = units[id].own ? nullptr : rocks_.of_file(units[id].file);
        if (rock == nullptr) continue;
        trace::Package& package = by_name[rock->name];
        package.units.push_back(id);
        if (package.units.size() > 1) continue;
        package.name = rock->name;
        package.version = rock->version;
        package.type = "luarocks";
        if (!rock->licence.empty()) package.licence_names.push_back(rock->licence);
        package.homepage = rock->homepage;
        package.metadata_file = rock->rockspec;
    }
    std::vector<trace::Package> all;
    for (auto& [name, package] : by_name) all.push_back(std::move(package));
    return all;
}

trace::Package LuaRuntime::own_package() {
    trace::Package package;
    package.name = facts_.is_jit() ? "luajit" : "lua";
    package.version = facts_.is_jit() ? facts_.jit : facts_.version;
    package.type = "generic";
    package.licence_names = {"MIT"};
    package.homepage = facts_.is_jit() ? "https://luajit.org" : "https://www.lua.org";
    package.metadata_file = facts_.program;
    return package;
}

std::vector<trace::VariableRead> LuaRuntime::variables_read(const Unit& unit) {
    std::vector<trace::VariableRead> read;
    auto scan =
        trace::is_source(unit.kind) ? scan_file(unit.file, module_name_of(unit.file), *store_) : std::nullopt;
    if (!scan) return read;
    for (const TextAt& one : scan->variables)
        if (one.text.find(unknown) == std::string::npos) read.push_back({one.text, one.line});
    return read;
}

} // namespace omnistasis::lua
