#include "runtimes/lua/lua_facts.h"

#include "support/files.h"
#include "support/own_program.h"
#include "support/subprocess.h"
#include "support/text.h"
#include "support/witness.h"

#include <algorithm>
#include <cstdlib>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis::lua {

namespace {

std::vector<std::string> split(std::string_view text, char separator) {
    std::vector<std::string> parts;
    each_part(text, separator, [&](std::string_view part) {
        if (!part.empty()) parts.emplace_back(part);
    });
    return parts;
}

Facts read_facts(std::string_view answer) {
    Facts facts;
    each_line(answer, [&](std::string_view line) {
        std::size_t space = std::min(line.find(' '), line.size());
        std::string_view word = line.substr(0, space);
        std::string rest(line.substr(std::min(space + 1, line.size())));
        if (word == "version") facts.version = rest;
        if (word == "jit") facts.jit = rest.substr(0, rest.find(' '));
        if (word == "path") facts.path = split(rest, ';');
        if (word == "cpath") facts.c_path = split(rest, ';');
        if (word == "built-in") facts.built_in.insert(rest);
        if (word == "wrong") facts.wrong_entry = rest;
    });
    return facts;
}

/// The program in what the project names: itself, a name on PATH, or in a folder.
std::string named_program(const std::string& named) {
    if (is_folder(named)) {
        for (const std::string& name : interpreter_names())
            for (const char* folder : {"/bin/", "/"})
                if (is_program(named + folder + name)) return named + folder + name;
        return {};
    }
    return named.find('/') == std::string::npos ? find_on_path(named) : named;
}

Result<Facts> ask(const std::string& program, const std::filesystem::path& helpers, const std::string& entry,
                  Store& store) {
    std::string variables;
    for (const char* name : {"LUA_PATH", "LUA_CPATH"})
        for (const char* version : {"", "_5_2", "_5_3", "_5_4"})
            if (const char* value = std::getenv((std::string(name) + version).c_str()))
                variables += std::string(name) + version + "=" + value + "\n";
    std::string stamps = file_stamp(program) + (entry.empty() ? "" : " " + file_stamp(entry));
    std::string key = Store::key_of("lua facts " + stamps + program + "\n" + entry + "\n" + variables);
    Witness::saw(program);
    std::string answer = store.find(key).value_or("");
    if (answer.empty()) {
        std::vector<std::string> command{"env", "-u", "LUA_INIT", program, (helpers / "facts.lua").string()};
        if (!entry.empty()) command.push_back(entry);
        auto output = run_program(command);
        if (!output) return pass_on(output);
        if (output->exit_code != 0)
            return fail(ErrorKind::missing, "the interpreter can't be asked", program,
                        output->err.substr(0, output->err.find('\n')),
                        fmt::format("check that it runs: {} -v", program));
        answer = output->out;
        store.keep(key, std::string(answer));
    }
    Facts facts = read_facts(answer);
    if (facts.version.empty())
        return fail(ErrorKind::bad_input, "this is not a Lua interpreter", program,
                    "it does not say its version", "name one with --runtime, as lua5.4");
    facts.program = real_path(program);
    return facts;
}

} // namespace

const std::vector<std::string>& interpreter_names() {
    static const std::vector<std::string> names{"lua", "lua5.4", "lua5.3", "lua5.2", "lua5.1", "luajit"};
    return names;
}

std::string usual_interpreter() {
    for (const std::string& name : interpreter_names())
        if (std::string program = find_on_path(name); !program.empty()) return program;
    return {};
}

std::string interpreter_named_in(const std::filesystem::path& source) {
    auto text = MappedFile::open(source);
    if (!text || !text->text().starts_with("#!")) return {};
    std::string_view line = text->text().substr(2, text->text().find('\n') - 2);
    for (const std::string& word : split(line, ' ')) {
        std::string name = base_name(word);
        while (!name.empty() && std::isspace(static_cast<unsigned char>(name.back())) != 0) name.pop_back();
        if (name == "lua-any") return "lua"; // Debian's choice among those that are installed
        bool is_lua =
            name.starts_with("lua") && name.find_first_not_of("0123456789.", 3) == std::string::npos;
        if (is_lua || name.starts_with("luajit")) return name;
    }
    return {};
}

Result<Facts> find_lua(const Project& project, const std::filesystem::path& helpers, const std::string& entry,
                       Store& store) {
    if (!project.runtime_home.empty()) {
        std::string named = named_program(project.runtime_home);
        if (named.empty() || !is_program(named))
            return fail(ErrorKind::bad_input, "there is no Lua at the named place", project.runtime_home,
                        "runtime.home or --runtime",
                        "name the interpreter, as /usr/bin/lua5.4, or the folder that holds it");
        return ask(named, helpers, entry, store);
    }
    if (std::string wanted = interpreter_named_in(project.folder / project.entry); !wanted.empty())
        if (std::string program = find_on_path(wanted); !program.empty())
            return ask(program, helpers, entry, store);
    if (std::string program = usual_interpreter(); !program.empty())
        return ask(program, helpers, entry, store);
    return fail(ErrorKind::missing, "there is no Lua on this machine", "",
                fmt::format("none of {} is on PATH", fmt::join(interpreter_names(), ", ")),
                "install one, as lua5.4, or name it with --runtime");
}

} // namespace omnistasis::lua
