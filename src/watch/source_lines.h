#pragma once

#include <string>
#include <vector>

namespace omnistasis::watch {

/// "file:line" of the first line in any of the files that holds `text` within quotes; empty where none does.
std::string line_that_names(const std::vector<std::string>& files, const std::string& text);

} // namespace omnistasis::watch
