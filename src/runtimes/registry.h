#pragma once

#include "runtimes/package_use.h"
#include "runtimes/recognised.h"
#include "runtimes/stock.h"
#include "support/store.h"
#include "trace/runtime.h"

#include <chrono>
#include <filesystem>
#include <memory>

namespace omnistasis {

/// Finds the language of a project's entry point, which completes the project (project/project.h).
Result<void> settle_entry(Project& project);

/// The runtime for a project: by `runtime.language`, or by its entry point. It keeps in `store` what it can
/// use again.
Result<std::unique_ptr<trace::Runtime>> make_runtime(const Project& project,
                                                     const std::filesystem::path& data,
                                                     std::shared_ptr<Store> store,
                                                     trace::EntryCheck check = trace::EntryCheck::now);

/// The names of all languages.
std::vector<std::string> language_names();

/// The runtimes of all languages in a folder, by language.
std::vector<std::pair<std::string, std::vector<Recognised>>>
recognise_runtimes(const std::filesystem::path& folder);

/// Does for a runtime that was put into the stock what is done once. What fails there only makes builds
/// slower.
Result<void> prepare_runtime(const StockedRuntime& runtime, const std::filesystem::path& data);

/// Writes a program into a folder that uses all of a runtime's library, and returns its file. Empty where the
/// library is not made of sources.
Result<std::string> write_library_program(const StockedRuntime& runtime, const std::filesystem::path& folder);

/// Looks through the packages for other systems that this machine has, of all languages, and removes those
/// that were not used for `idle` and longer, if `removes` says so.
Result<PackageUse> look_through_packages(std::chrono::days idle, bool removes);

/// Whether a language's runtime for a target can be had: from this machine or the stock. An error says which
/// one lacks, and how to add it.
Result<std::string> runtime_for(const std::string& language, const std::string& target);

} // namespace omnistasis
