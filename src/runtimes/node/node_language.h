#pragma once

#include "project/project.h"
#include "support/store.h"
#include "trace/runtime.h"

#include <filesystem>
#include <memory>

namespace omnistasis::node {

/// Completes a project whose entry is a JavaScript file, a script for Node.js, or a folder with a
/// package.json that names a program.
Result<bool> settle_entry(Project& project);

bool is_node_source(const std::filesystem::path& file);

Result<std::unique_ptr<trace::Runtime>> make_node_runtime(const Project& project,
                                                          const std::filesystem::path& data,
                                                          std::shared_ptr<Store> store,
                                                          trace::EntryCheck check);

} // namespace omnistasis::node
