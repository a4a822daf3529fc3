#pragma once

#include "support/error.h"

#include <string>
#include <vector>

namespace omnistasis::python {

/// Replaces archives on a search path (zip files and eggs, also a folder inside one; The Python Library
/// Reference, "zipimport") by folders in the user's cache with their content, unpacked once for each state of
/// the archive. Fails where an archive can't be read or there is nowhere to unpack it.
Result<void> unpack_zipped_packages(std::vector<std::string>& search_path);

} // namespace omnistasis::python
