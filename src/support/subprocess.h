#pragma once

#include "support/error.h"

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace omnistasis {

/// What a finished program left: its streams and how it ended.
struct ProgramOutput {
    int exit_code = 0; ///< 128 + signal number where a signal ended it
    std::string out;
    std::string err;
};

/// Runs a program to its end with `input` on its standard input. `arguments[0]` is the program, found on PATH
/// where it holds no slash. Fails only where the program can't be started; a non-zero exit code is a result.
Result<ProgramOutput> run_program(const std::vector<std::string>& arguments, const std::string& input = {});

/// Runs a program with this one's own standard streams, in `folder`, with `variables` added to the
/// environment. Returns its exit code, or 128 + signal number.
Result<int> run_in_foreground(const std::vector<std::string>& arguments,
                              const std::map<std::string, std::string>& variables,
                              const std::filesystem::path& folder);

/// Gives a signal to the program that runs in the foreground, and to the one that it has started; false where
/// there is none. One that comes `from_terminal` has reached them already.
bool pass_on_interruption(int signal, bool from_terminal);

} // namespace omnistasis
