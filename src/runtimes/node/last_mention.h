#pragma once

#include <cstddef>
#include <string_view>

namespace omnistasis::node {

/// End offset of the last keyword that the scanner must see in a JavaScript text: one that requests a file,
/// makes code or reads the environment, or the beginning of a relative path (`'./`). 0: there is no keyword.
/// Keywords in comments and literals count, which only makes the scan longer than needed. Most files request
/// what they need at their beginning.
std::size_t end_of_last_mention(std::string_view text);

} // namespace omnistasis::node
