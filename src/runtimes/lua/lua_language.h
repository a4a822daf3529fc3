#pragma once

#include "project/project.h"
#include "runtimes/recognised.h"
#include "support/store.h"
#include "trace/runtime.h"

#include <filesystem>
#include <memory>

namespace omnistasis::lua {

/// Completes a project whose entry is a source in Lua: by its ending, or by its first line.
Result<bool> settle_entry(Project& project);

bool is_lua_source(const std::filesystem::path& file);

Result<std::unique_ptr<trace::Runtime>> make_lua_runtime(const Project& project,
                                                         const std::filesystem::path& data,
                                                         std::shared_ptr<Store> store,
                                                         trace::EntryCheck check);

/// Interpreters of other systems are not known: only this machine's is used.
std::vector<Recognised> recognise_runtimes(const std::filesystem::path& folder);
Result<std::string> usual_runtime(const std::string& target);

} // namespace omnistasis::lua
