#include "runtimes/python/text_kinds.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cstdint>
#include <string>

namespace omnistasis::python {

bool is_name_char(char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_'; }

bool is_plain_name(std::string_view text) {
    return !text.empty() && text.size() <= 60 && !(text[0] >= '0' && text[0] <= '9') &&
           std::ranges::all_of(text, is_name_char);
}

bool is_dotted_name(std::string_view text) {
    bool expects_part = true;
    bool has_dot = false;
    std::size_t colons = 0;
    for (char c : text) {
        bool letter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_';
        if (letter || (!expects_part && c >= '0' && c <= '9')) {
            expects_part = false;
        } else if ((c == '.' || c == ':') && !expects_part) {
            expects_part = true;
            has_dot = true;
            colons += c == ':';
        } else {
            return false;
        }
    }
    return has_dot && !expects_part && colons <= 1;
}

bool may_be_path(std::string_view text) {
    if (text.empty() || text.size() > 200 || text.front() == ' ' || text.back() == ' ' || text.front() == '-')
        return false;
    for (char c : text)
        if (static_cast<unsigned char>(c) < 0x20 ||
            std::string_view("<>|*?\"{}$;=()").find(c) != std::string_view::npos)
            return false;
    return true;
}

std::string_view module_imported_by(std::string_view text) {
    bool from = text.starts_with("from ");
    if (!from && !text.starts_with("import ")) return {};
    text.remove_prefix(text.find(' ') + 1);
    std::size_t end = std::min(text.find_first_of(" ;\\"), text.size());
    std::string_view name = text.substr(0, end), rest = text.substr(end);
    bool fits =
        from ? rest.starts_with(" import ") : rest.empty() || rest[0] != ' ' || rest.starts_with(" as ");
    return fits && is_dotted_name("x." + std::string(name)) ? name : std::string_view();
}

std::string absolute_name(std::string_view name, std::string_view anchor) {
    std::size_t dots = name.find_first_not_of('.');
    if (dots == std::string_view::npos) dots = name.size();
    std::string base(anchor);
    for (std::size_t up = 1; up < dots; ++up) {
        std::size_t dot = base.rfind('.');
        base.resize(dot == std::string::npos ? 0 : dot);
    }
    if (dots == name.size()) return base + ".";
    return base.empty() ? std::string(name.substr(dots)) : base + "." + std::string(name.substr(dots));
}

bool is_header_keyword(std::string_view name) {
    static constexpr std::array<std::string_view, 14> keywords{"if",    "elif",   "else",    "while", "for",
                                                               "try",   "except", "finally", "with",  "def",
                                                               "class", "async",  "match",   "case"};
    return std::ranges::find(keywords, name) != keywords.end();
}

} // namespace omnistasis::python
