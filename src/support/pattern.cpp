#include "support/pattern.h"

#include <algorithm>
#include <vector>

namespace omnistasis {

bool is_pattern(std::string_view text) { return text.find_first_of("*?") != std::string_view::npos; }

bool fits_pattern(std::string_view text, std::string_view pattern, char separator) {
    // Most patterns differ from most texts in front of their first wildcard.
    std::size_t plain = std::min(pattern.find_first_of("*?"), pattern.size());
    if (text.substr(0, plain) != pattern.substr(0, plain)) return false;
    text.remove_prefix(plain);
    pattern.remove_prefix(plain);
    if (pattern.empty()) return text.empty();
    if (pattern == "*" && separator == '\0') return true;
    // reached[i]: the pattern so far fits the first i characters.
    std::vector<bool> reached(text.size() + 1, false);
    reached[0] = true;
    for (std::size_t p = 0; p < pattern.size(); ++p) {
        std::vector<bool> next(text.size() + 1, false);
        bool deep = pattern.substr(p).starts_with("**");
        if (deep) {
            ++p;
            // `**/` also stands for no folder at all.
            if (separator != '\0' && p + 1 < pattern.size() && pattern[p + 1] == separator) {
                ++p;
                for (std::size_t i = 0; i <= text.size(); ++i)
                    if (reached[i]) {
                        next[i] = true;
                        for (std::size_t j = i; j < text.size(); ++j)
                            if (text[j] == separator) next[j + 1] = true;
                    }
                reached = std::move(next);
                continue;
            }
        }
        if (pattern[p] == '*') {
            bool open = false;
            for (std::size_t i = 0; i <= text.size(); ++i) {
                if (i > 0 && !deep && separator != '\0' && text[i - 1] == separator) open = false;
                open = open || reached[i];
                next[i] = open;
            }
        } else {
            for (std::size_t i = 0; i < text.size(); ++i) {
                bool any = pattern[p] == '?' && (separator == '\0' || text[i] != separator);
                next[i + 1] = reached[i] && (any || text[i] == pattern[p]);
            }
        }
        reached = std::move(next);
    }
    return reached[text.size()];
}

} // namespace omnistasis
