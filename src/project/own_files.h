#pragma once

#include "project/project.h"

#include <cstdint>
#include <string>
#include <vector>

namespace omnistasis {

/// Limits of what goes along unasked.
inline constexpr std::uint64_t most_own_bytes = 64u << 20;
inline constexpr std::size_t most_own_files = 20'000;
inline constexpr std::uint64_t most_package_bytes = 10u << 20; ///< of a package of others

/// The files that are the application's own, because they lie in its folder: data, templates, plug-ins,
/// pages, also those that nothing names.
struct OwnFiles {
    std::string folder;             ///< absolute; what the paths are relative to
    std::vector<std::string> files; ///< relative, sorted
    std::uint64_t size = 0;         ///< bytes of all of them
    /// Beyond the limits: the smaller files go along, these do not.
    std::vector<std::string> too_large;
    std::uint64_t too_large_size = 0;
    /// Why the folder does not go along whole; empty where it does.
    std::string refused;
};

/// Looks through the project's own folder. Version control, environments, packages of others, caches, outputs
/// of builds, hidden files, tests and documents are passed over.
OwnFiles find_own_files(const Project& project);

/// Whether packages lie in a folder, as in a virtual environment, and nothing that is the application's own.
bool holds_packages(const std::filesystem::path& folder);

/// Whether a folder has a file that describes a project, or version control.
bool is_project_folder(const std::filesystem::path& folder);

/// The folder that the entry's project begins with: the one with the project file, else the nearest at or
/// above `folder` that has a file that describes a project, or version control, else `folder`.
std::filesystem::path own_folder_above(const std::filesystem::path& folder);

/// The lowest folder that holds `folder` and `path`; `folder` where that would be one of the system's, or
/// more than three steps up.
std::filesystem::path folder_of_both(const std::filesystem::path& folder, const std::filesystem::path& path);

/// Why a folder is never an application's own; empty where it may be.
std::string why_not_own(const std::filesystem::path& folder);

} // namespace omnistasis
