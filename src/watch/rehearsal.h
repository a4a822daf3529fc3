#pragma once

#include "support/error.h"

#include <filesystem>
#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::watch {

/// What the system calls of a program and of all that it starts say about files.
struct SeenFiles {
    std::set<std::string> read;     ///< absolute paths of regular files that were opened to be read
    std::set<std::string> written;  ///< opened to be written
    std::set<std::string> programs; ///< executed
};

struct Rehearsal {
    int exit_code = 0; ///< 128 + signal number where a signal ended it
    SeenFiles files;
    std::string blind; ///< why the files were not watched; empty where they were
};

/// Runs a program with this one's standard streams, in `folder`, with `variables` added to the environment,
/// and watches the files that it and its children open (strace(1) with its seccomp filter). Where this
/// machine does not allow that, the program runs all the same, and `blind` says why nothing was seen. An
/// interruption from the terminal reaches the program; what it did until then is returned.
Result<Rehearsal> run_watched(const std::vector<std::string>& command, const std::filesystem::path& folder,
                              const std::map<std::string, std::string>& variables,
                              const std::filesystem::path& scratch);

} // namespace omnistasis::watch
