#pragma once

#include "native/host_libraries.h"

#include <string>
#include <vector>

namespace omnistasis::native {

/// A library that a native file for another system than this machine's needs.
struct ForeignNeed {
    std::string name;
    std::string found_file; ///< empty where it is not found
    bool is_exact = false;  ///< it says itself which file it means, relative to where it lies
    bool is_weak = false;   ///< it does without
};

/// What a native file (ELF, PE, Mach-O) needs besides the host libraries, and what it opens by its name where
/// that lies beside it. Its own
/// system can't be asked, so libraries are looked for in few places: beside the file, for Linux where
/// this machine keeps libraries of that processor, for macOS where the install name leads. An error where the
/// file's headers are wrong.
Result<std::vector<ForeignNeed>> foreign_needs(const std::string& file, const HostLibraries& host);

} // namespace omnistasis::native
