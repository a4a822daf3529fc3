#pragma once

#include "support/error.h"

#include <string>
#include <vector>

namespace omnistasis {

/// How pip is started on this machine: of `interpreter` where that has it, else of another Python on PATH,
/// else by its own name.
Result<std::vector<std::string>> find_pip(const std::string& interpreter = {});

} // namespace omnistasis
