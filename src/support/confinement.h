#pragma once

#include "support/error.h"

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace omnistasis {

/// The program that makes namespaces for others (bubblewrap).
inline constexpr const char* confining_program = "bwrap";

/// Whether this machine can confine programs; else why not and what to do. Asked once in a process.
Result<void> check_confinement();

/// The command that runs `command` with this machine's files read-only, without network and without other
/// processes. It can write in `scratch`, which is its home and working folder; its environment holds
/// `variables` and no more.
std::vector<std::string> confined(const std::vector<std::string>& command,
                                  const std::filesystem::path& scratch,
                                  const std::map<std::string, std::string>& variables);

} // namespace omnistasis
