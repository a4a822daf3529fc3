#pragma once

#include <string>
#include <vector>

namespace omnistasis::native {

/// The sub-folders of library folders that hold builds for this machine's processor, best first: those of the
/// C library's capabilities, then the combinations of older names. `platform` becomes what $PLATFORM is.
std::vector<std::string> processor_folders(std::string& platform);

} // namespace omnistasis::native
