#pragma once

#include <algorithm>
#include <string>
#include <string_view>

namespace omnistasis {

/// Puts `with` in the place of each `what`; what was put in is not looked at again.
inline void replace_all(std::string& text, std::string_view what, std::string_view with) {
    if (what.empty()) return;
    for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + with.size()))
        text.replace(at, what.size(), with);
}

/// Without blanks and line ends at both ends.
inline std::string_view trimmed(std::string_view text) {
    constexpr std::string_view blanks = " \t\r\n\f\v";
    std::size_t start = text.find_first_not_of(blanks);
    if (start == std::string_view::npos) return {};
    return text.substr(start, text.find_last_not_of(blanks) + 1 - start);
}

/// Calls `take` with each part of a text, without the separators between them; empty parts too, but none
/// behind a separator at the end.
template <typename Take> void each_part(std::string_view text, char separator, Take take) {
    while (!text.empty()) {
        std::string_view part = text.substr(0, text.find(separator));
        text.remove_prefix(std::min(part.size() + 1, text.size()));
        take(part);
    }
}

/// The last line of what a program said, without its end; empty where it said nothing.
inline std::string last_line(std::string_view text) {
    while (text.ends_with('\n') || text.ends_with('\r')) text.remove_suffix(1);
    return std::string(text.substr(text.rfind('\n') + 1));
}

template <typename Take> void each_line(std::string_view text, Take take) { each_part(text, '\n', take); }

} // namespace omnistasis
