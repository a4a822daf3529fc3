#pragma once

#include "support/store.h"

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

/// For each entry of a package's list that lies below `folder` and has one of the `endings`, those of the
/// packages which that one depends on or recommends: what distributions take out of the metadata of
/// languages, they say here.
std::map<std::string, std::vector<std::string>> entries_required_by(std::string_view folder,
                                                                    const std::vector<std::string>& endings);

} // namespace omnistasis
