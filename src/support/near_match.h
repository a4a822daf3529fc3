#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace omnistasis {

/// Those of `candidates` that `wrong` may have meant, nearest first, at most `most`: by the number of typing
/// slips (insertions, deletions, replacements, swapped neighbours) against the length of the word.
std::vector<std::string> near_matches(std::string_view wrong, const std::vector<std::string>& candidates,
                                      std::size_t most = 3);

} // namespace omnistasis
