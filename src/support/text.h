#pragma once

#include <string>
#include <string_view>

namespace omnistasis {

/// Puts `with` in the place of each `what`; what was put in is not looked at again.
inline void replace_all(std::string& text, std::string_view what, std::string_view with) {
    if (what.empty()) return;
    for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + with.size()))
        text.replace(at, what.size(), with);
}

} // namespace omnistasis
