#pragma once

#include "support/error.h"

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::python {

/// What the name of a wheel says (PyPA, "Binary distribution format"; PEP 425).
struct WheelName {
    std::string name; ///< normalized
    std::string version;
    std::string interpreters; ///< "cp311", "py2.py3"
    std::string abis;         ///< "cp311", "abi3", "none"
    std::string platforms;    ///< "win_amd64", "any", several with dots between them
};

/// Nothing where the name is none.
std::optional<WheelName> read_wheel_name(std::string_view file_name);

/// Whether a CPython 3.`minor` for `target` loads it.
bool fits(const WheelName& wheel, int minor, const std::string& target);

/// The platforms, as tags name them, whose wheels run on a target; the newest first.
std::vector<std::string> platform_tags(const std::string& target);

/// Unpacks a wheel into an empty folder, as it is, and compares it with its own list (RECORD).
Result<void> unpack_wheel(const std::filesystem::path& wheel, const std::filesystem::path& folder);

/// Installs what was unpacked from the wheel `name` into an environment, modules below `site_packages`; files
/// that are never changed are not copied where the disk allows it. A file that another package has at the
/// same place, with another content, is an error, but for those that nobody imports.
Result<void> install_unpacked(const std::filesystem::path& folder, const std::string& name,
                              const std::filesystem::path& environment, const std::string& site_packages);

} // namespace omnistasis::python
