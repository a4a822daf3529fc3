#pragma once

#include "project/project.h"

namespace omnistasis {

/// Reads an omnistasis.toml into `project` (docs/project-file.md). Unknown keys, wrong types and bad values
/// are errors with line, column, the expected form and near matches.
Result<void> read_project_file(const std::filesystem::path& file, Project& project);

} // namespace omnistasis
