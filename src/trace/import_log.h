#pragma once

#include "trace/capabilities.h"

#include <filesystem>
#include <vector>

namespace omnistasis::trace {

/// The imports that a watched run noted in a file, one a line: the module's name, the file of the code that
/// imports it, and the line there, with tabs between them. Empty where there is no such file; lines of
/// another form are passed over.
std::vector<SeenModule> read_import_log(const std::filesystem::path& file);

} // namespace omnistasis::trace
