#include "runtimes/python/lore.h"

#include "runtimes/python/version_condition.h"
#include "support/files.h"
#include "support/toml.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::python {

namespace {

class LoreReader {
  public:
    explicit LoreReader(std::string file) : file_(std::move(file)) {}

    Result<void> read_into(Lore& lore) {
        auto text = read_text(file_);
        if (!text) return pass_on(text);
        toml::parse_result parsed = toml::parse(*text, file_);
        if (!parsed) return wrong(parsed.error().source(), std::string(parsed.error().description()));
        const toml::table& root = parsed.table();
        if (root["format"].value_or(0) != 1) return wrong(root.source(), "format = 1 is expected");
        for (const auto& [key, value] : root)
            if (key != "format" && key != "lore")
                return wrong(key.source(), fmt::format("unknown key {}", key.str()));
        const toml::array* list = root["lore"].as_array();
        if (list == nullptr) return wrong(root.source(), "a list of [[lore]] tables is expected");
        for (const toml::node& node : *list) {
            if (!node.is_table()) return wrong(node.source(), "a [[lore]] table is expected");
            if (auto done = read_note(*node.as_table(), lore); !done) return done;
        }
        return {};
    }

  private:
    tl::unexpected<Error> wrong(const toml::source_region& at, std::string why) const {
        return fail(ErrorKind::bad_input, "the package lore is not valid",
                    fmt::format("{}:{}:{}", file_, at.begin.line, at.begin.column), std::move(why),
                    "docs/package-lore.md describes the format");
    }

    Result<std::vector<std::string>> strings(const toml::node& node) const {
        std::vector<std::string> values;
        if (const auto* one = node.as_string()) return std::vector<std::string>{one->get()};
        const toml::array* list = node.as_array();
        if (list == nullptr) return wrong(node.source(), "a string or a list of strings is expected");
        for (const toml::node& item : *list) {
            if (!item.is_string()) return wrong(item.source(), "a string is expected");
            values.push_back(item.as_string()->get());
        }
        return values;
    }

    Result<void> read_note(const toml::table& table, Lore& lore) {
        LoreEntry entry;
        std::vector<std::string> modules;
        for (const auto& [key, value] : table) {
            if (key == "module" || key == "include" || key == "leave_out" || key == "parts" ||
                key == "on_request" || key == "calls" || key == "one_of" || key == "as_files" ||
                key == "libraries" || key == "part_data" || key == "systems") {
                auto names = strings(value);
                if (!names) return pass_on(names);
                (key == "module"       ? modules
                 : key == "include"    ? entry.include
                 : key == "parts"      ? entry.parts
                 : key == "on_request" ? entry.on_request
                 : key == "calls"      ? entry.calls
                 : key == "one_of"     ? entry.one_of
                 : key == "as_files"   ? entry.as_files
                 : key == "libraries"  ? entry.libraries
                 : key == "part_data"  ? entry.part_data
                 : key == "systems"    ? entry.systems
                                       : entry.leave_out) = std::move(*names);
            } else if (key == "versions" && value.is_table()) {
                for (const auto& [distribution, condition] : *value.as_table()) {
                    std::string text = condition.value_or(std::string());
                    if (!is_version_condition(text))
                        return wrong(condition.source(), "a condition as \">=1.20,<2\" is expected");
                    entry.versions[std::string(distribution.str())] = text;
                }
            } else if (key == "why" && value.is_string()) {
                entry.why = value.as_string()->get();
            } else if (key == "when_named" && value.is_table()) {
                for (const auto& [name, needed] : *value.as_table()) {
                    auto names = strings(needed);
                    if (!names) return pass_on(names);
                    entry.when_named[std::string(name.str())] = std::move(*names);
                }
            } else if (key == "data" && value.is_array()) {
                for (const toml::node& item : *value.as_array())
                    if (auto done = read_data(item, entry); !done) return done;
            } else if (key == "stands_for" && value.is_table()) {
                for (const auto& [name, meant] : *value.as_table())
                    entry.stands_for[std::string(name.str())] = meant.value_or(std::string());
            } else if ((key == "during" || key == "moved") && value.is_table()) {
                auto& target = key == "during" ? entry.during : entry.moved;
                for (const auto& [subject, texts] : *value.as_table()) {
                    if (!texts.is_table()) return wrong(texts.source(), "a table of texts is expected");
                    for (const auto& [from, place] : *texts.as_table())
                        target[std::string(subject.str())][std::string(from.str())] =
                            place.value_or(std::string());
                }
            } else {
                return wrong(key.source(), fmt::format("unknown key {} or wrong type", key.str()));
            }
        }
        if (modules.empty()) return wrong(table.source(), "`module` is missing");
        if (entry.why.empty())
            return wrong(table.source(), "`why` is missing: say why no inference can find this");
        for (const std::string& module : modules) lore.emplace(module, entry);
        return {};
    }

    Result<void> read_data(const toml::node& node, LoreEntry& entry) {
        const toml::table* table = node.as_table();
        if (table == nullptr || !table->contains("from") ||
            (table->contains("to") && !(*table)["to"].is_string()))
            return wrong(node.source(), "a table with `from`, and mostly `to`, is expected");
        LoreData data;
        auto from = strings(*table->get("from"));
        if (!from) return pass_on(from);
        data.from = std::move(*from);
        data.to = (*table)["to"].value_or(std::string());
        bool beside =
            std::ranges::all_of(data.from, [](const std::string& f) { return f.starts_with("{package}"); });
        if (data.to.empty() && !beside)
            return wrong(node.source(), "`to` is missing: only what is in {package} has a place of its own");
        data.holding = (*table)["holding"].value_or(std::string());
        data.of_system = (*table)["system"].value_or(false);
        for (auto [key, into] :
             {std::pair("only", &data.only), {"without", &data.without}, {"needed", &data.needed}})
            if (const toml::node* list = table->get(key)) {
                auto patterns = strings(*list);
                if (!patterns) return pass_on(patterns);
                *into = std::move(*patterns);
            }
        entry.data.push_back(std::move(data));
        return {};
    }

    std::string file_;
};

} // namespace

Result<void> read_lore_file(const std::filesystem::path& file, Lore& lore) {
    return LoreReader(file.string()).read_into(lore);
}

Result<Lore> read_lore(const std::filesystem::path& folder) {
    Lore lore;
    for (const FolderEntry& entry : list_folder(folder)) {
        if (!entry.name.ends_with(".toml")) continue;
        if (auto done = read_lore_file(folder / entry.name, lore); !done) return pass_on(done);
    }
    return lore;
}

} // namespace omnistasis::python
