#pragma once

#include <cstdint>
#include <string>

namespace omnistasis {

/// "4.9 MB": decimal units, at most three digits.
std::string size_text(std::uint64_t bytes);

} // namespace omnistasis
