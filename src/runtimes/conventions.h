#pragma once

// What projects of each language look like on disk: names of files and folders that rooms have to know which
// must not know any language. Each language declares one row, in its own folder.

#include <span>
#include <string_view>
#include <vector>

namespace omnistasis {

using Names = std::vector<std::string_view>;

struct Conventions {
    std::string_view language{};   ///< as `runtime.language` names it
    Names project_files{};         ///< a folder that has one is the folder of a project
    Names passed_folders{};        ///< folders in a project that are not the application's own
    Names environment_marks{};     ///< a folder that has one holds packages, not the application
    Names passed_folder_endings{}; ///< endings of such folders' names
    Names passed_files{};          ///< files that only developers need
    Names passed_file_starts{};    ///< beginnings of such files' names
    Names passed_file_endings{};   ///< endings of such files' names
    Names test_files{};            ///< patterns
    Names cache_folders{};         ///< made again by the runtime whenever it likes
    Names compiled_endings{};      ///< of files that the runtime's compiler made
    Names module_stores{};         ///< file names in an app tree that hold many compiled modules
    Names interpreters{};          ///< names of its programs, as commands
    Names credential_files{};      ///< where its tools keep what lets them into a registry
    Names shared_folders{};        ///< of its packages, below the system's /usr/lib and /usr/share
    Names package_folders{};       ///< that hold all packages of an environment
};

/// One row for each language.
std::span<const Conventions* const> conventions();

/// Whether the list of any language holds `name`.
bool any_names(Names Conventions::*list, std::string_view name);
/// Whether `name` begins, or ends, with something that the list of any language holds.
bool any_starts(Names Conventions::*list, std::string_view name);
bool any_ends(Names Conventions::*list, std::string_view name);
/// Whether `name` fits a pattern that the list of any language holds.
bool any_fits(Names Conventions::*list, std::string_view name);

} // namespace omnistasis
