#pragma once

#include <string>
#include <vector>

namespace omnistasis::python {

/// The folders that the path files (`*.pth`) of a folder of packages add to the search path, in the order of
/// the `site` module: files by name, lines as they stand. Lines that are code are not run.
std::vector<std::string> folders_of_path_files(const std::string& packages);

} // namespace omnistasis::python
