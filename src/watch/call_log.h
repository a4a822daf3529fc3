#pragma once

#include <map>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::watch {

/// What the system calls of a program and of all that it starts say about files. Paths are absolute, as the
/// program sees them.
struct Calls {
    std::set<std::string> opened;   ///< to be read, and there
    std::set<std::string> written;  ///< opened to be written
    std::set<std::string> programs; ///< executed
    std::set<std::string> missing;  ///< looked for by whatever call, and not there
    std::set<std::string> missing_programs;
    std::vector<std::string>
        left_behind;      ///< programs of processes that were still there when the first one ended
    bool started = false; ///< the program itself was executed
};

/// The options of strace(1) for such a log, to be followed by the log's name and the command. `looks`: also
/// of calls that only look for a file; without them a program runs faster, and only what is opened and
/// executed is seen.
std::vector<std::string> call_log_options(bool looks);

/// Reads the log of a program. Nothing counts before `first_program` (a path or the beginning of one) is
/// executed; empty: all counts.
Calls read_call_log(std::string_view log, const std::string& first_program);

/// Whether strace can watch programs here; else why not.
std::string why_blind();

} // namespace omnistasis::watch
