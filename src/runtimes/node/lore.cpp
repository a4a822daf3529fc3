#include "runtimes/node/lore.h"

#include "support/files.h"
#include "support/toml.h"

#include <fmt/format.h>

namespace omnistasis::node {

Result<void> read_lore_file(const std::filesystem::path& file, Lore& into) {
    auto text = read_text(file);
    if (!text) return pass_on(text);
    toml::parse_result parsed = toml::parse(*text, file.string());
    auto wrong = [&](const toml::source_region& at, std::string why) {
        return fail(ErrorKind::bad_input, "the package lore is not valid",
                    fmt::format("{}:{}:{}", file.string(), at.begin.line, at.begin.column), std::move(why),
                    "docs/package-lore.md describes the format");
    };
    if (!parsed) return wrong(parsed.error().source(), std::string(parsed.error().description()));
    const toml::table& root = parsed.table();
    if (root["format"].value_or(0) != 1) return wrong(root.source(), "format = 1 is expected");
    const toml::array* list = root["lore"].as_array();
    if (list == nullptr) return wrong(root.source(), "a list of [[lore]] tables is expected");
    for (const toml::node& node : *list) {
        const toml::table* table = node.as_table();
        if (table == nullptr) return wrong(node.source(), "a [[lore]] table is expected");
        LoreEntry entry;
        std::string package;
        for (const auto& [key, value] : *table) {
            std::vector<std::string>* texts = key == "include" ? &entry.include
                                              : key == "data"  ? &entry.data
                                              : key == "loads" ? &entry.loads
                                                               : nullptr;
            if (key == "package" && value.is_string()) {
                package = value.as_string()->get();
            } else if (key == "why" && value.is_string()) {
                entry.why = value.as_string()->get();
            } else if (texts != nullptr && value.is_array()) {
                for (const toml::node& item : *value.as_array()) {
                    if (!item.is_string()) return wrong(item.source(), "a text is expected");
                    texts->push_back(item.as_string()->get());
                }
            } else {
                return wrong(key.source(), fmt::format("unknown key {} or wrong type", key.str()));
            }
        }
        if (package.empty()) return wrong(table->source(), "`package` is missing");
        if (entry.why.empty())
            return wrong(table->source(), "`why` is missing: say why no inference can find this");
        into.emplace(package, std::move(entry));
    }
    return {};
}

Result<Lore> read_lore(const std::filesystem::path& folder) {
    Lore lore;
    for (const FolderEntry& entry : list_folder(folder))
        if (entry.name.ends_with(".toml"))
            if (auto done = read_lore_file(folder / entry.name, lore); !done) return pass_on(done);
    return lore;
}

} // namespace omnistasis::node
