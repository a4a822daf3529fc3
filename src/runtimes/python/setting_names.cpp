#include "runtimes/python/setting_names.h"

#include "runtimes/python/text_kinds.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <set>

namespace omnistasis::python {

namespace {

bool starts_name(char c) { return std::isalpha(static_cast<unsigned char>(c)) != 0 || c == '_'; }

/// What stands before or behind a word that is a part of something else: a path, an address.
bool joins(char c) { return c == '/' || c == '@' || c == '-' || c == '.' || c == '\\' || is_name_char(c); }

} // namespace

bool is_settings_file(std::string_view name) {
    constexpr std::array<std::string_view, 8> endings{".yaml", ".yml", ".json", ".toml",
                                                      ".ini",  ".cfg", ".conf", ".env"};
    return std::ranges::any_of(endings, [&](std::string_view ending) { return name.ends_with(ending); });
}

std::vector<StringAt> names_in_settings(std::string_view text) {
    std::vector<StringAt> names;
    std::set<std::string_view> seen;
    std::uint32_t line = 1;
    for (std::size_t at = 0; at < text.size(); ++at) {
        if (text[at] == '\n') ++line;
        if (!starts_name(text[at]) || (at > 0 && joins(text[at - 1]))) continue;
        std::size_t end = at;
        bool dotted = false;
        // Names with one dot, or the colon of an entry point, between them.
        while (end < text.size()) {
            while (end < text.size() && is_name_char(text[end])) ++end;
            bool more =
                end + 1 < text.size() && (text[end] == '.' || text[end] == ':') && starts_name(text[end + 1]);
            if (!more) break;
            dotted |= text[end] == '.';
            ++end;
        }
        std::string_view word = text.substr(at, end - at);
        bool is_part = end < text.size() && joins(text[end]);
        if (dotted && !is_part && seen.insert(word).second) names.push_back({std::string(word), line});
        at = end - 1;
    }
    return names;
}

} // namespace omnistasis::python
