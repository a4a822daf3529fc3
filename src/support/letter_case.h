#pragma once

#include <algorithm>
#include <string>

namespace omnistasis {

/// With capitals for the small letters of ASCII.
inline std::string upper_case(std::string text) {
    std::ranges::transform(text, text.begin(), [](char c) {
        return c >= 'a' && c <= 'z' ? static_cast<char>(c - 'a' + 'A') : c;
    });
    return text;
}

/// With small letters for those of ASCII.
inline std::string lower_case(std::string text) {
    std::ranges::transform(text, text.begin(), [](char c) {
        return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    });
    return text;
}

} // namespace omnistasis
