#pragma once

#include "support/error.h"

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

} // namespace omnistasis
