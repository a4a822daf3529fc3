#include "runtimes/python/facts.h"

#include "runtimes/python/facts_cache.h"
#include "support/files.h"
#include "support/json.h"
#include "support/subprocess.h"
#include "support/target_info.h"
#include "support/text.h"
#include "support/trusted_owner.h"
#include "support/witness.h"

#include <algorithm>
#include <cstdlib>
#include <fmt/format.h>
#include <unistd.h>

namespace omnistasis::python {

namespace {

/// The interpreter of a virtual environment or installation prefix; empty where there is none.
std::string interpreter_in(const fs::path& folder) {
    for (const char* name : {"bin/python3", "bin/python"})
        if (is_program(folder / name)) return (folder / name).string();
    return {};
}

} // namespace

Result<std::string> find_interpreter(const std::string& home, const std::filesystem::path& project_folder,
                                     const std::filesystem::path& own_folder) {
    if (!home.empty()) {
        fs::path named = fs::path(home).is_absolute() || home.find('/') != std::string::npos ||
                                 is_there(project_folder / home)
                             ? project_folder / home
                             : fs::path(find_on_path(home));
        if (is_folder(named)) {
            if (std::string found = interpreter_in(named); !found.empty()) return found;
            bool broken = fs::is_symlink(named / "bin/python3") || fs::is_symlink(named / "bin/python");
            return fail(ErrorKind::missing, "the folder holds no Python interpreter that can be started",
                        named.string(),
                        broken ? "its interpreter is a link to a file that is gone"
                               : "there is no bin/python3 in it",
                        broken ? "make the virtual environment anew"
                               : "name an interpreter with --runtime or runtime.home");
        }
        if (is_program(named)) return named.string();
        return fail(ErrorKind::missing, "the Python interpreter is not found", home,
                    "there is no such program or folder",
                    "name an interpreter with --runtime or runtime.home");
    }
    if (const char* active = std::getenv("VIRTUAL_ENV"))
        if (std::string found = interpreter_in(active); !found.empty()) return found;
    for (fs::path folder = project_folder;; folder = folder.parent_path()) {
        for (const char* name : {".venv", "venv"}) {
            if (!is_there(folder / name / "pyvenv.cfg")) continue;
            if (auto right = check_owner(folder / name, "the virtual environment"); !right)
                return pass_on(right);
            if (std::string found = interpreter_in(folder / name); !found.empty()) return found;
            return fail(ErrorKind::missing, "the virtual environment's interpreter can't be started",
                        (folder / name).string(), "the file that it leads to is gone",
                        "make the virtual environment anew, or name an interpreter with --runtime");
        }
        if (folder == own_folder || !folder.has_relative_path()) break;
    }
    for (const char* name : {"python3", "python"})
        if (std::string found = find_on_path(name); !found.empty()) return found;
    return fail(ErrorKind::missing, "no Python interpreter is found", "PATH", "there is no python3 on it",
                "install Python 3, or name an interpreter with --runtime");
}

std::string_view interpreter_words(std::string_view text) {
    if (!text.starts_with("#!")) return {};
    std::size_t end = text.find('\n');
    std::string_view first = text.substr(2, end == std::string_view::npos ? end : end - 2);
    constexpr std::string_view executes = "'''exec' ";
    if (first != "/bin/sh" || end == std::string_view::npos || !text.substr(end + 1).starts_with(executes))
        return first;
    std::string_view second = text.substr(end + 1 + executes.size());
    return second.substr(0, second.find('\n'));
}

std::string interpreter_of_script(const std::filesystem::path& script) {
    auto text = MappedFile::open(script);
    if (!text) return {};
    std::string_view words = interpreter_words(text->text());
    words.remove_prefix(std::min(words.find_first_not_of(' '), words.size()));
    bool is_quoted = words.starts_with('"');
    if (is_quoted) words.remove_prefix(1);
    std::string program(words.substr(0, words.find(is_quoted ? '"' : ' ')));
    return program.find("python") != std::string::npos && is_program(program) ? program : std::string();
}

std::string Facts::magic_bytes() const {
    std::string bytes;
    for (std::size_t i = 0; i + 1 < magic.size(); i += 2)
        bytes += static_cast<char>(std::stoi(magic.substr(i, 2), nullptr, 16));
    return bytes;
}

void settle_places(Facts& facts) {
    if (system_of(facts.target) == System::windows) {
        facts.library_place = "Lib";
        facts.extensions_place = "DLLs";
        facts.programs_place.clear();
        return;
    }
    facts.library_place =
        fmt::format("{}/{}", facts.platlibdir, fs::path(facts.standard_library).filename().string());
    facts.extensions_place = facts.library_place + "/lib-dynload";
    facts.programs_place = "bin";
}

Result<Facts> ask_interpreter(const std::string& interpreter, const std::filesystem::path& helpers,
                              const std::string& entry, bool checks_entry) {
    auto script = read_text(helpers / "facts.py");
    if (!script) return pass_on(script);
    std::string subject = interpreter + '\0' + *script;
    for (const char* variable : {"PYTHONPATH", "PYTHONHOME", "PYTHONNOUSERSITE", "PYTHONUSERBASE",
                                 "VIRTUAL_ENV", "HOME", "PYENV_VERSION", "PATH"})
        if (const char* value = std::getenv(variable))
            subject += std::string("\0", 1) + variable + "=" + value;
    FactsCache cache(subject);
    auto source = read_text(entry);
    // Whether an entry is valid depends on its text alone, once the interpreter is known.
    FactsCache verdicts(subject + '\0' + entry + '\0' + (source ? *source : ""));
    Json json = parse_json(cache.find());
    Json verdict = parse_json(verdicts.find());
    if (!json.is_object() || (checks_entry && !verdict.is_array())) {
        auto output = run_program({interpreter, "-c", *script, entry});
        if (!output) return pass_on(output);
        json = parse_json(output->out);
        if (output->exit_code != 0 || !json.is_object()) {
            std::string said = last_line(output->err);
            return fail(ErrorKind::missing, "the program does not answer as a Python interpreter does",
                        interpreter,
                        said.empty() ? fmt::format("it ended with exit code {}", output->exit_code) : said,
                        "name a Python of version 3.9 or later with --runtime");
        }
        std::string prefix = json["prefix"];
        verdict = json["entry_error"];
        // Behind a wrapper script another interpreter may answer the next time.
        if (real_path(interpreter) == json["program"].get<std::string>()) {
            cache.keep(output->out, json["search_path"].get<std::vector<std::string>>(),
                       {interpreter, json["program"], prefix + "/pyvenv.cfg"});
            verdicts.keep(json_line(verdict), {}, {interpreter, json["program"]});
        } else {
            Witness::saw_what_cannot_be_checked();
        }
    }
    Facts facts;
    facts.major = json["version"][0];
    facts.minor = json["version"][1];
    facts.micro = json["version"][2];
    if (facts.major != 3 || facts.minor < 9)
        return fail(ErrorKind::missing, fmt::format("Python {}.{} is too old", facts.major, facts.minor),
                    interpreter, "versions from 3.9 on are known", "name a newer one with --runtime");
    facts.magic = json["magic"];
    facts.program = json["program"];
    facts.executable = json["executable"];
    facts.prefix = json["prefix"];
    facts.base_prefix = json["base_prefix"];
    facts.standard_library = json["standard_library"];
    facts.platform_library = json["platform_library"];
    facts.platlibdir = json["platlibdir"];
    facts.platform = json["platform"];
    facts.extension_suffixes = json["extension_suffixes"].get<std::vector<std::string>>();
    facts.search_path = json["search_path"].get<std::vector<std::string>>();
    for (const auto& name : json["built_in"]) facts.built_in.insert(name.get<std::string>());
    // The two that the import system itself is made of are not on the interpreter's list.
    facts.built_in.insert({"_frozen_importlib", "_frozen_importlib_external"});
    for (const auto& name : json["frozen"]) facts.frozen.insert(name.get<std::string>());
    for (const auto& [name, path] : json["editable"].items())
        facts.editable.emplace(name, path.get<std::string>());
    if (verdict.size() == 2) {
        facts.entry_error = verdict[0];
        facts.entry_error_line = verdict[1];
    }
    facts.build_data = json["build_data"];
    facts.target = host_target();
    facts.extensions = facts.platform_library + "/lib-dynload";
    settle_places(facts);
    for (const auto& [name, module] : json["codecs"].items())
        facts.codecs.emplace(name, module.get<std::string>());
    return facts;
}

} // namespace omnistasis::python
