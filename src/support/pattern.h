#pragma once

#include <string_view>

namespace omnistasis {

/// Whether `text` fits `pattern`: `?` is one character and `*` any number of them, neither of them
/// `separator`;
/// `**` is any text, separators too. A separator of '\0' means that there is none.
bool fits_pattern(std::string_view text, std::string_view pattern, char separator = '\0');

/// Whether there is anything to fit: a `*` or a `?`.
bool is_pattern(std::string_view text);

} // namespace omnistasis
