#pragma once

#include "support/files.h"

namespace omnistasis {

constexpr const char* project_file_name = "omnistasis.toml";

/// The project file for what is in `folder`: there, or, with `looks_above`, in a folder above that has the
/// same owner and is under the same version control. Empty where there is none. What it says is carried out,
/// the interpreter that it names is started: one of another user is an error (support/trusted_owner.h).
Result<fs::path> find_project_file(const fs::path& folder, bool looks_above);

} // namespace omnistasis
