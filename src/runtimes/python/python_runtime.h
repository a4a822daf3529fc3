#pragma once

#include "support/store.h"
#include "trace/runtime.h"

#include <filesystem>
#include <memory>

namespace omnistasis::python {

/// Whether an entry point is Python: by its name, or by its first line.
bool is_python_source(const std::filesystem::path& file);

/// Asks the project's interpreter for its facts and checks the entry point. `data` is the folder with our
/// helper programs and notes.
Result<std::unique_ptr<trace::Runtime>>
make_python_runtime(const Project& project, const std::filesystem::path& data, std::shared_ptr<Store> store);

} // namespace omnistasis::python
