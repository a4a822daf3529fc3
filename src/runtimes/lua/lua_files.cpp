// What goes into the app tree besides the files themselves, and how it is started.
#include "runtimes/lua/lua_runtime.h"
#include "support/file_hash.h"
#include "support/files.h"
#include "support/subprocess.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::lua {

namespace {

constexpr const char* start_place = "start/start.lua";

std::string lua_string(const std::string& text) {
    std::string out = "\"";
    for (char c : text) {
        if (c == '"' || c == '\\') out += '\\';
        out += c;
    }
    return out + "\"";
}

} // namespace

/// The interpreter carries the application's name, so that lists of processes show that one.
std::string LuaRuntime::program_place() const {
    std::string place = "bin/" + project_.name;
    return place == interpreter_place() ? place + "-program" : place;
}

std::string LuaRuntime::interpreter_place() const { return "bin/" + base_name(facts_.program); }

std::vector<std::string> LuaRuntime::isolated(std::vector<std::string> arguments) const {
    std::vector<std::string> all;
    if (facts_.has_isolation_switch()) all.push_back("-E");
    all.push_back(std::string("{tree}/") + start_place);
    all.insert(all.end(), arguments.begin(), arguments.end());
    return all;
}

trace::Start LuaRuntime::start() const {
    trace::Start start{program_place(), isolated({"{self}", "{arguments}"})};
    if (!facts_.has_isolation_switch()) start.kept_variables = {"LUA_INIT", "LUA_PATH", "LUA_CPATH"};
    return start;
}

std::vector<trace::InnerLauncher> LuaRuntime::inner_launchers() const {
    trace::Start inner{program_place(), isolated({"", "{arguments}"})};
    inner.kept_variables = start().kept_variables;
    return {{interpreter_place(), inner}};
}

/// The settings in front of the start's source.
std::string LuaRuntime::settings() const {
    std::string path, c_path;
    auto add = [](std::string& list, const std::string& one) {
        if ((";" + list + ";").find(";" + one + ";") == std::string::npos)
            list += (list.empty() ? "" : ";") + one;
    };
    for (bool of_c : {false, true})
        for (const auto& [before, behind] : finder_.templates(of_c)) {
            bool in_project = !project_.is_installed && !relative_to(before + "x", base_).empty();
            std::string folder = in_project
                                     ? place_of(before + "x")
                                     : fmt::format("{}/lua/{}/x", of_c ? "lib" : "share", facts_.version);
            folder.pop_back();
            add(of_c ? c_path : path, folder + "?" + behind);
        }
    add(path, fmt::format("share/lua/{}/?.lua", facts_.version));
    add(path, fmt::format("share/lua/{}/?/init.lua", facts_.version));
    add(c_path, fmt::format("lib/lua/{}/?.so", facts_.version));
    return fmt::format(
        "local settings = {{ entry = {}, folder = {}, path = {}, cpath = {}, program = {} }}\n",
        lua_string(place_of(entry_)), lua_string(application_place()), lua_string(path), lua_string(c_path),
        lua_string(interpreter_place()));
}

Result<std::vector<trace::MadeFile>> LuaRuntime::make_files(const std::vector<Unit>& code, unsigned,
                                                            Observer& observer) {
    std::vector<trace::MadeFile> files;
    auto boot = read_text(helpers_ / "start.lua");
    if (!boot) return pass_on(boot);
    observer.step("compiling", code.size());
    auto scratch = StagingFolder::make(fs::temp_directory_path(), "omnistasis-lua");
    if (!scratch) return pass_on(scratch);
    std::string input;
    std::set<std::string> places;
    std::vector<std::pair<std::size_t, std::string>> open; // files to fill, and the keys of their content
    // Compiled code is for this interpreter and no other.
    auto program = file_hash(facts_.program, *store_);
    std::string kind = "lua code 1 " + (program ? hex(*program) : title()) + " ";
    // Fills the last of `files` with compiled code, now or later.
    auto compile = [&](const std::string& source, const std::string& key) {
        if (auto known = store_->find(key)) {
            files.back().content = std::move(*known);
            return;
        }
        input += source + "\n" + files.back().place + "\n" +
                 (scratch->path() / std::to_string(files.size() - 1)).string() + "\n";
        open.emplace_back(files.size() - 1, key);
    };
    std::string start = settings() + *boot;
    std::string start_source = (scratch->path() / "start").string();
    if (auto written = write_atomically(start_source, start); !written) return pass_on(written);
    files.push_back({start_place, "", 0644});
    compile(start_source, Store::key_of(kind + start));
    for (const Unit& unit : code) {
        // "a.init" is the file of "a", too.
        if (unit.kind != UnitKind::code || !places.insert(unit.place).second) continue;
        trace::MadeFile& made = files.emplace_back();
        made.place = unit.place;
        made.shares = {{unit.name, 0}};
        auto source = MappedFile::open(unit.file);
        if (!source) return pass_on(source);
        made.shares[0].second = source->text().size();
        bool is_plain = project_.sources || !facts_.renames_compiled() || source->text().starts_with("\x1B");
        if (is_plain) {
            made.source = unit.file;
            continue;
        }
        auto hash = file_hash(unit.file, *store_);
        if (!hash) return fail(ErrorKind::bad_input, "a source can't be read", unit.file);
        compile(unit.file, Store::key_of(kind + unit.place + " " + hex(*hash)));
    }
    if (open.empty()) return files;
    auto output = run_program({facts_.program, (helpers_ / "compile.lua").string()}, input);
    if (!output) return pass_on(output);
    if (output->exit_code != 0)
        return fail(ErrorKind::fault, "the sources can't be compiled", facts_.program,
                    output->err.substr(0, output->err.find('\n')), "");
    for (const auto& [index, key] : open) {
        auto compiled = read_text(scratch->path() / std::to_string(index));
        if (!compiled && files[index].place == start_place) return pass_on(compiled);
        if (compiled) {
            store_->keep(key, std::string(*compiled));
            files[index].content = std::move(*compiled);
            continue;
        }
        const Unit& unit = *std::ranges::find(code, files[index].place, &Unit::place);
        std::size_t at = output->out.find(unit.file + "\t");
        std::string why = at == std::string::npos ? "" : output->out.substr(at + unit.file.size() + 1);
        why = why.substr(0, why.find('\n'));
        if (unit.file == entry_)
            return fail(ErrorKind::bad_input, "a source is not valid Lua", unit.file, why,
                        fmt::format("it has to run with {}", facts_.program));
        // It fails when it is required, as it does from source; it may be for another version, behind a
        // check.
        files[index].source = unit.file;
    }
    return files;
}

} // namespace omnistasis::lua
