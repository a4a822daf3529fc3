#include "project/rehearsed.h"

#include "support/files.h"
#include "support/toml.h"
#include "support/toml_text.h"

#include <fmt/format.h>

namespace omnistasis {

void Rehearsed::merge(const Rehearsed& other) {
    modules.insert(other.modules.begin(), other.modules.end());
    files.insert(other.files.begin(), other.files.end());
    libraries.insert(other.libraries.begin(), other.libraries.end());
    programs.insert(other.programs.begin(), other.programs.end());
    written.insert(other.written.begin(), other.written.end());
}

Result<Rehearsed> read_rehearsed(const std::filesystem::path& file) {
    Rehearsed facts;
    if (!is_there(file)) return facts;
    auto text = read_text(file);
    if (!text) return pass_on(text);
    toml::parse_result parsed = toml::parse(*text, file.string());
    auto wrong = [&](const toml::source_region& at, const std::string& why) {
        return fail(ErrorKind::bad_input, "the file with what rehearsals saw is not valid",
                    fmt::format("{}:{}:{}", file.string(), at.begin.line, at.begin.column), why,
                    "docs/rehearsal.md describes the format; without the file, rehearse again");
    };
    if (!parsed) return wrong(parsed.error().source(), std::string(parsed.error().description()));
    if (parsed.table()["format"].value_or(0) != 1)
        return wrong(parsed.table().source(), "format = 1 is expected");
    for (const auto& [key, list] : parsed.table()) {
        if (key == "format") continue;
        if (key != "module" && key != "file" && key != "library" && key != "program" && key != "written")
            return wrong(key.source(), fmt::format("unknown key {}", key.str()));
        if (!list.is_array())
            return wrong(list.source(), fmt::format("[[{}]] tables are expected", key.str()));
        bool has_path = key == "file" || key == "program" || key == "written";
        for (const toml::node& node : *list.as_array()) {
            const toml::table* table = node.as_table();
            std::string name =
                table ? (*table)[has_path ? "path" : "name"].value_or(std::string()) : std::string();
            if (name.empty())
                return wrong(node.source(),
                             fmt::format("a table with `{}` is expected", has_path ? "path" : "name"));
            if (key == "module")
                facts.modules.insert({name, (*table)["from"].value_or(std::string())});
            else if (key == "file")
                facts.files.insert({(*table)["package"].value_or(std::string()), name});
            else
                (key == "library"   ? facts.libraries
                 : key == "program" ? facts.programs
                                    : facts.written)
                    .insert(name);
        }
    }
    return facts;
}

std::string rehearsed_text(const Rehearsed& facts) {
    std::string text = "# What rehearsals of this application saw that its source does not say. Written by\n"
                       "# `omnistasis rehearse`, which adds to it; part of the project like its source.\n"
                       "format = 1\n";
    auto line = [&](const char* key, const std::string& value) {
        if (!value.empty()) text += fmt::format("{} = {}\n", key, toml_quoted(value));
    };
    for (const Rehearsed::Module& module : facts.modules) {
        text += "\n[[module]]\n";
        line("name", module.name);
        line("from", module.from);
    }
    for (const Rehearsed::File& file : facts.files) {
        text += "\n[[file]]\n";
        line("package", file.package);
        line("path", file.path);
    }
    auto list = [&](const char* table, const char* key, const std::set<std::string>& values) {
        for (const std::string& value : values) {
            text += fmt::format("\n[[{}]]\n", table);
            line(key, value);
        }
    };
    list("library", "name", facts.libraries);
    list("program", "path", facts.programs);
    list("written", "path", facts.written);
    return text;
}

} // namespace omnistasis
