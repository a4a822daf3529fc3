#pragma once

#include "runtimes/python/lexer.h"
#include "runtimes/python/scanner.h"

#include <optional>
#include <span>

namespace omnistasis::python {

/// Whether a condition is known on the target before the program runs: tests of the platform and of the
/// interpreter's version, TYPE_CHECKING, constants, and `and`/`or`/`not` over them. Nothing where it is not.
std::optional<bool> evaluate_condition(std::span<const Token> tokens, const ScanFacts& facts);

} // namespace omnistasis::python
