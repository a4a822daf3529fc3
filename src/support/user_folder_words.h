#pragma once

// How users of an application name their folders on its system; where they are on this machine is
// support/user_cache.h's business. The launchers have them in system_linux.cpp, macos/system.cpp and
// tree_place_windows.cpp.

#include "support/target_info.h"

#include <string>

namespace omnistasis {

/// A path below the user's folder for data, with slashes, as it is shown to a user of the system.
std::string shown_in_data(System system, const std::string& path);

/// The same below the folder for what can be made anew.
std::string shown_in_caches(System system, const std::string& path);

} // namespace omnistasis
