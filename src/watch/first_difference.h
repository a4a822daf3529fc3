#pragma once

#include <string>

namespace omnistasis::watch {

/// The first line in which two outputs differ, as a phrase with its number and both lines; empty where they
/// are equal.
std::string first_difference(const std::string& from_source, const std::string& built);

} // namespace omnistasis::watch
