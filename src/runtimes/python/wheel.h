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

/// Unpacks a wheel below the folder of an environment, as an installer does: its modules go to
/// `site_packages` in it, its data beside. Every file is compared with the wheel's own list of them (RECORD).
/// A file that another wheel has put at the same place with another content is an error.
Result<void> unpack_wheel(const std::filesystem::path& wheel, const std::filesystem::path& environment,
                          const std::string& site_packages);

} // namespace omnistasis::python
