#pragma once

#include "runtimes/package_use.h"
#include "runtimes/python/package_lock.h"
#include "support/error.h"

#include <chrono>
#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::python {

/// Notes in a store of packages that an environment is used, and of which wheels it is made; once a day.
/// Where that can't be written, nothing is noted.
void note_use(const std::filesystem::path& stock, const std::string& environment,
              const std::vector<LockedPackage>& packages);

/// Looks through a store of packages. What only environments need that were not used for `idle` and longer
/// goes, if `removes` says so; a lock that names it asks for it anew.
Result<PackageUse> look_through_packages(const std::filesystem::path& stock, std::chrono::days idle,
                                         bool removes);

/// The same of the user's.
Result<PackageUse> look_through_packages_of_user(std::chrono::days idle, bool removes);

} // namespace omnistasis::python
