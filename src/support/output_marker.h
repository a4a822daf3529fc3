#pragma once

#include "support/files.h"

#include <set>
#include <string>

namespace omnistasis {

/// The file that names, line by line, what Omnistasis made in a folder and may replace.
inline constexpr const char* output_marker_name = ".omnistasis-outputs";

/// The names; none where there is no such file.
std::set<std::string> read_output_marker(const fs::path& folder);

} // namespace omnistasis
