#pragma once

#include <string>
#include <string_view>

namespace omnistasis::watch {

/// The first line in which two outputs differ, as a phrase with its number and both lines; empty where they
/// are equal. `other_is`: what the first one is.
std::string first_difference(const std::string& other, const std::string& built,
                             std::string_view other_is = "from source");

} // namespace omnistasis::watch
