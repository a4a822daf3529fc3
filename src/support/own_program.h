#pragma once

#include <filesystem>
#include <string>

namespace omnistasis {

/// A text that is another one when a file was written anew: times, size and number. "-" where there is none.
/// `has_settled` takes whether its last change was so long ago that a further one would show in its times.
std::string file_stamp(const std::string& path, bool* has_settled = nullptr);

/// A text that is another one for every build of this program; what caches keep depends on it.
const std::string& own_program_stamp();

/// The folder that this program is installed in, with bin, lib and share in it.
std::filesystem::path own_prefix();

/// Where it has its launchers, and modules that are loaded when they are needed.
std::filesystem::path own_modules();

} // namespace omnistasis
