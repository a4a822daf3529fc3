#pragma once

#include "support/store.h"
#include "trace/runtime.h"

#include <filesystem>
#include <memory>

namespace omnistasis {

/// Finds the language of a project's entry point, which completes the project (project/project.h).
Result<void> settle_entry(Project& project);

/// The runtime for a project: by `runtime.language`, or by its entry point. It keeps in `store` what it can
/// use again.
Result<std::unique_ptr<trace::Runtime>>
make_runtime(const Project& project, const std::filesystem::path& data, std::shared_ptr<Store> store);

} // namespace omnistasis
