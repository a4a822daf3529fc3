#pragma once

#include "native/host_libraries.h"
#include "support/subprocess.h"

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace omnistasis::watch {

/// What an isolated program gets besides its own files.
struct IsolationOptions {
    std::map<std::string, std::string> variables;
    /// Files or folders of this machine, read-only, and where.
    std::vector<std::pair<std::filesystem::path, std::string>> shown;
    /// Folders of this machine that it may write to, and where.
    std::vector<std::pair<std::filesystem::path, std::string>> lent;
    /// Folders of this machine that become the home (/home/user), the working folder (/work) and /tmp; where
    /// they are empty, the root has empty ones of its own.
    std::filesystem::path home, work, temporary;
    bool network = false;
    /// Where this machine has the target's libraries, where that is another's; empty: in its own folders.
    std::vector<std::filesystem::path> library_folders;
    /// What stands in front of the program on the command line, as it lies in the root.
    std::vector<std::string> in_front;
    /// What is started instead of the output, as it lies in the root; empty: the output.
    std::string instead;
    std::string input; ///< standard input
    RunLimits limits;
};

/// The home and working folder in the root.
constexpr const char* isolated_home = "/home/user";
constexpr const char* isolated_work = "/work";

/// The command that runs an output in a root that holds only the target's host libraries, a home, /proc, /dev
/// and /tmp: no interpreter, nothing of this machine (bubblewrap's namespaces). `output` is the executable,
/// or the folder that holds it; `program` its name. It is below /opt there.
std::vector<std::string> isolated_command(const std::filesystem::path& output, const std::string& program,
                                          const std::vector<std::string>& arguments,
                                          const native::HostLibraries& host, const IsolationOptions& options);

/// Runs it. Fails where this machine does not allow it.
Result<ProgramOutput> run_isolated(const std::filesystem::path& output, const std::string& program,
                                   const std::vector<std::string>& arguments,
                                   const native::HostLibraries& host, const IsolationOptions& options = {});

/// Whether this machine can isolate programs; else why not and what to do.
Result<void> check_isolation();

} // namespace omnistasis::watch
