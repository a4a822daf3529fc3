#pragma once

#include "native/host_libraries.h"
#include "support/subprocess.h"

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::watch {

/// What the isolated program gets besides its own files.
struct EmptyRootOptions {
    std::vector<std::string> variables; ///< NAME=value
    std::vector<std::pair<std::filesystem::path, std::string>>
        shown; ///< files or folders of this machine, read-only, and where
};

/// Runs an output in a root that holds only the target's host libraries, an empty home, /proc, /dev and /tmp:
/// no network, no interpreter, nothing of this machine. `output` is the executable, or the folder that holds
/// it; `program` its name. Fails where this machine does not allow it.
Result<ProgramOutput> run_in_empty_root(const std::filesystem::path& output, const std::string& program,
                                        const std::vector<std::string>& arguments,
                                        const native::HostLibraries& host,
                                        const EmptyRootOptions& options = {});

} // namespace omnistasis::watch
