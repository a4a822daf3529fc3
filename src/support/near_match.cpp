#include "support/near_match.h"

#include <algorithm>
#include <cctype>

namespace omnistasis {

namespace {

/// Optimal string alignment distance of two words, letter case ignored.
std::size_t slips(std::string_view left, std::string_view right) {
    auto lower = [](char c) { return std::tolower(static_cast<unsigned char>(c)); };
    std::vector<std::vector<std::size_t>> cost(left.size() + 1, std::vector<std::size_t>(right.size() + 1));
    for (std::size_t i = 0; i <= left.size(); ++i) cost[i][0] = i;
    for (std::size_t j = 0; j <= right.size(); ++j) cost[0][j] = j;
    for (std::size_t i = 1; i <= left.size(); ++i)
        for (std::size_t j = 1; j <= right.size(); ++j) {
            bool same = lower(left[i - 1]) == lower(right[j - 1]);
            cost[i][j] =
                std::min({cost[i - 1][j] + 1, cost[i][j - 1] + 1, cost[i - 1][j - 1] + (same ? 0 : 1)});
            if (i > 1 && j > 1 && lower(left[i - 1]) == lower(right[j - 2]) &&
                lower(left[i - 2]) == lower(right[j - 1]))
                cost[i][j] = std::min(cost[i][j], cost[i - 2][j - 2] + 1);
        }
    return cost[left.size()][right.size()];
}

} // namespace

std::vector<std::string> near_matches(std::string_view wrong, const std::vector<std::string>& candidates,
                                      std::size_t most) {
    std::size_t allowed = std::max<std::size_t>(1, wrong.size() / 3);
    std::vector<std::pair<std::size_t, std::string>> near;
    for (const auto& candidate : candidates) {
        if (candidate.size() > wrong.size() + allowed || wrong.size() > candidate.size() + allowed) continue;
        if (std::size_t distance = slips(wrong, candidate); distance <= allowed)
            near.emplace_back(distance, candidate);
    }
    std::ranges::sort(near);
    std::vector<std::string> names;
    for (auto& [distance, name] : near)
        if (names.size() < most) names.push_back(std::move(name));
    return names;
}

} // namespace omnistasis
