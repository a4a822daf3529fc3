#pragma once

#include "project/project.h"

namespace omnistasis {

/// Reads an omnistasis.toml into `project` (docs/project-file.md). Unknown keys, wrong types and bad values
/// are errors with line, column, the expected form and near matches.
Result<void> read_project_file(const std::filesystem::path& file, Project& project);

/// The project as the text of an omnistasis.toml that needs no options: what is as it would be anyway is not
/// written.
std::string project_file_text(const Project& project);

} // namespace omnistasis
