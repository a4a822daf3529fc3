#pragma once

#include "runtimes/python/constants.h"

#include <span>
#include <string>
#include <vector>

namespace omnistasis::python {

/// The paths that a call writes to, as far as they are known: open(x, "w"), x.write_text(...),
/// sqlite3.connect(x), shelve.open(x), FileHandler(x). `tokens[callee]` is the function's name; what stands
/// in front of it may be the path itself.
std::vector<std::string> written_paths(const Constants& constants, std::span<const Token> tokens,
                                       std::size_t callee,
                                       const std::vector<std::span<const Token>>& arguments);

} // namespace omnistasis::python
