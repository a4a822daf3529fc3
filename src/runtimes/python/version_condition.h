#pragma once

#include <string>
#include <string_view>

namespace omnistasis::python {

/// Compares two versions by their release numbers (PEP 440: "1.10" is later than "1.9", "2" is "2.0"); what
/// follows the numbers marks a version before the release where it is a letter, as in "2.0rc1". Below, equal
/// to or above zero.
int compare_versions(std::string_view left, std::string_view right);

/// Whether a condition can be read: `>=1.20,<2`; the signs are == != < <= > >=, commas mean "and".
bool is_version_condition(std::string_view condition);

/// Whether a version meets a condition.
bool meets_version_condition(std::string_view version, std::string_view condition);

} // namespace omnistasis::python
