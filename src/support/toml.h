// The TOML parser without exceptions: errors are values here. It is compiled once, in toml.cpp.
#pragma once

#define TOML_HEADER_ONLY 0
#define TOML_EXCEPTIONS 0
#include <string>
#include <string_view>
#include <toml++/toml.h>

namespace omnistasis {

/// Parses a text (TOML 1.0); `file` stands in errors. The library takes some signs beyond ASCII in keys for
/// ones that can't be there, and what it does then is not defined: none gets that far.
toml::parse_result parse_toml(std::string_view text, const std::string& file = {});

} // namespace omnistasis
