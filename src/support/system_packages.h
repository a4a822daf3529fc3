#pragma once

#include "support/store.h"

#include <cstdint>
#include <map>
#include <string>
#include <vector>

namespace omnistasis {

/// A package of this machine's system.
struct SystemPackage {
    std::string name;
    std::string version;
    std::string architecture;
    std::string homepage;
    std::string copyright_file; ///< Debian policy 12.5; empty where it is not there
};

/// The packages of Debian's package manager that brought each of `files`, as its own lists say; files that
/// none brought are left out. Empty on systems of other kinds. Kept in `store` until the system's packages
/// change.
std::map<std::string, SystemPackage> system_packages_of(const std::vector<std::string>& files, Store& store);

/// The files of the package that brought `file`, and of the installed ones that were built from the same
/// source (a program and its data are often two packages); sorted, absolute. Empty where no package brought
/// it.
std::vector<std::string> files_packaged_with(const std::string& file);

/// For each of `files` that a package brought, the name of the source that the package was built from.
std::map<std::string, std::string> package_sources_of(const std::vector<std::string>& files);

/// A program of a package that another one requires.
struct RequiredProgram {
    std::string file;               ///< absolute, links followed
    std::uint64_t package_size = 0; ///< in bytes, of its package without documents and the like
};

/// The programs, by name, of the packages that the one which brought `file` depends on or recommends.
std::map<std::string, RequiredProgram> programs_required_by(const std::string& file);

/// Entries of the lists of packages that another one has to do with.
struct RelatedEntries {
    std::vector<std::string> required;  ///< it depends on their packages, or recommends them
    std::vector<std::string> suggested; ///< the one suggests the other, or is said to enhance it
};

/// For each entry of a package's list that lies below `folder` and has one of the `endings`, those of related
/// packages: what distributions take out of the metadata of languages, they say here.
std::map<std::string, RelatedEntries> entries_related_to(std::string_view folder,
                                                         const std::vector<std::string>& endings);

} // namespace omnistasis
