#include "watch/first_difference.h"

#include <algorithm>
#include <fmt/format.h>
#include <string_view>

namespace omnistasis::watch {

std::string first_difference(const std::string& other, const std::string& built, std::string_view other_is) {
    std::string_view left = other, right = built;
    for (std::size_t line = 1;; ++line) {
        std::string_view a = left.substr(0, left.find('\n')), b = right.substr(0, right.find('\n'));
        if (a != b || left.empty() != right.empty()) {
            auto shown = [](std::string_view text) {
                return text.empty() ? "nothing" : fmt::format("\"{}\"", text.substr(0, 100));
            };
            return fmt::format("line {}: {} {}, {} built", line, shown(a), other_is, shown(b));
        }
        if (left.empty()) return {};
        left.remove_prefix(std::min(a.size() + 1, left.size()));
        right.remove_prefix(std::min(b.size() + 1, right.size()));
    }
}

} // namespace omnistasis::watch
