#pragma once

#include "project/project.h"
#include "support/error.h"

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::python {

/// A package for another system, as a project's lock names it.
struct LockedPackage {
    std::string target;
    std::string python; ///< "3.11"
    std::string name;   ///< normalized
    std::string version;
    std::string file; ///< name of the wheel
    std::string sha256;

    auto operator<=>(const LockedPackage&) const = default;
};

/// The name of the file beside a project's own (docs/project-file.md).
inline constexpr const char* lock_name = "omnistasis.lock";

/// Where a project has it; of an installed command, in the present folder.
std::filesystem::path lock_file_of(const Project& project);

/// Reads it; nothing is locked where there is none. An error names the line that is wrong.
Result<std::vector<LockedPackage>> read_lock(const std::filesystem::path& file);

/// Those for one target.
Result<std::vector<LockedPackage>> read_lock(const std::filesystem::path& file, const std::string& target);

/// Writes the packages of one target, in order; those of others stay.
Result<void> write_lock(const std::filesystem::path& file, const std::string& target,
                        std::vector<LockedPackage> packages);

} // namespace omnistasis::python
