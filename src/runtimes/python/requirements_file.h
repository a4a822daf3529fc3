#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::python {

/// The requirements that a `requirements.txt` lists, and those that it refers to with `-r` or
/// `--requirement`, as pip reads them ("Requirements File Format"); without comments, options and hashes.
/// Nothing where there is no such file.
std::vector<std::string> listed_requirements(const std::filesystem::path& file);

} // namespace omnistasis::python
