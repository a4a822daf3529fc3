#pragma once

#include <cstddef>
#include <string_view>

namespace omnistasis::node {

/// Where in a JavaScript text the last word ends that a scan has to look at: one that asks for a file, makes
/// code, or reads the environment, and the beginning of a text that names a file beside (`'./`). 0 where
/// there is none. In a comment or a literal counts too: behind it there is nothing in any case. Most files
/// ask for what they need at their beginning.
std::size_t end_of_last_mention(std::string_view text);

} // namespace omnistasis::node
