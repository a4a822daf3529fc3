#pragma once

#include "runtimes/recognised.h"
#include "runtimes/stock.h"
#include "support/store.h"
#include "trace/runtime.h"

#include <filesystem>
#include <memory>

namespace omnistasis::python {

/// Whether an entry point is Python: by its name, or by its first line.
bool is_python_source(const std::filesystem::path& file);

/// Asks the project's interpreter for its facts and checks the entry point, unless files will be made of it
/// anyway. `data` is the folder with our
/// helper programs and lore.
Result<std::unique_ptr<trace::Runtime>> make_python_runtime(const Project& project,
                                                            const std::filesystem::path& data,
                                                            std::shared_ptr<Store> store,
                                                            trace::EntryCheck check);

/// What is done once for a runtime that was put into the stock, so that builds with it are faster.
Result<void> prepare_runtime(const StockedRuntime& runtime, const std::filesystem::path& data);

/// What builds for a target get, in words.
Result<std::string> usual_runtime(const std::string& target);

} // namespace omnistasis::python
