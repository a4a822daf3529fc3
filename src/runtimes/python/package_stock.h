#pragma once

#include "runtimes/python/package_lock.h"
#include "support/error.h"

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::python {

/// The packages for other systems that this machine has: wheels, each in a folder that is named by its
/// content, and environments that are made of them. Nothing in it is ever changed.
class PackageStock {
  public:
    /// `$XDG_DATA_HOME/omnistasis/packages`, else below `~/.local/share`; `OMNISTASIS_PACKAGES` names
    /// another.
    static PackageStock of_user();

    explicit PackageStock(std::filesystem::path folder) : folder_(std::move(folder)) {}

    /// Takes a wheel; its SHA-256.
    Result<std::string> add(const std::filesystem::path& wheel) const;

    /// The wheel of that name and content; empty where it is not there.
    std::filesystem::path find(const std::string& file, const std::string& sha256) const;

    /// A folder with all of them installed, modules below `site_packages`. Those that are not there are an
    /// error that names them.
    Result<std::filesystem::path> environment(const std::vector<LockedPackage>& packages,
                                              const std::string& site_packages) const;

    const std::filesystem::path& folder() const { return folder_; }

  private:
    /// The folder with a wheel's files, by the wheel's content.
    Result<std::filesystem::path> unpacked(const std::filesystem::path& wheel) const;

    std::filesystem::path folder_;
};

} // namespace omnistasis::python
