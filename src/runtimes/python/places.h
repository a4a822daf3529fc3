#pragma once

#include "project/project.h"
#include "runtimes/python/facts.h"

#include <string>
#include <unordered_map>
#include <vector>

namespace omnistasis::python {

/// Where Debian has the packages of its own Python.
inline constexpr const char* system_packages_folder = "/usr/lib/python3/dist-packages";

/// Where files of this machine go in the app tree, so that their positions relative to each other stay as
/// they are: the project's folder is `app` (of what the system installed below /usr, its place there), the
/// runtime's library `lib/pythonX.Y` (on Windows `Lib`), everything else `site-packages` in it.
class Places {
  public:
    Places(const Project& project, const Facts& facts);

    /// The place of `file`, which was found below the search path entry `root`.
    std::string of(const std::string& file, const std::string& root) const;

    /// The place of a folder of the search path.
    std::string of_root(const std::string& root) const;

    /// The place of a file of an application that the system's package manager installed below `/usr`: as it
    /// lies there.
    std::string of_installed(const std::string& file) const;

    /// Whether the application itself, not a package or the runtime, is at home below that root.
    bool is_own(const std::string& root) const;
    /// Whether it is the runtime's own library.
    bool is_standard(const std::string& root) const;

    const std::string& library() const { return library_; } ///< lib/python3.11
    /// Of the library's own compiled modules.
    const std::string& extensions() const { return extensions_place_; }
    std::string site_packages() const { return library_ + "/site-packages"; }
    /// Those of the folders below others of packages that are on the search path themselves, as path files
    /// put them there; in the path's order.
    const std::vector<std::string>& inner_roots() const { return inner_roots_; }

  private:
    std::string project_folder_;
    std::string own_place_ = "app";
    std::string prefix_;
    std::string standard_library_;
    std::string platform_library_;
    std::string extensions_;
    std::string library_;
    std::string extensions_place_;
    std::vector<std::string> inner_roots_;
    std::unordered_map<std::string, std::string> inner_places_; ///< of a folder on the search path
};

} // namespace omnistasis::python
