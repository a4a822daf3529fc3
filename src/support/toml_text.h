#pragma once

#include <string>
#include <string_view>

namespace omnistasis {

/// A text as a TOML basic string, with its quotes (TOML 1.0, "String").
std::string toml_quoted(std::string_view text);

} // namespace omnistasis
