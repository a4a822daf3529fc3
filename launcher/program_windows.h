// Starts the tree's program.
#pragma once

#include "self_windows.h"

namespace omnistasis::launcher {

/// Starts the program with the same standard streams, waits, and ends with its exit code. Comes back only
/// where it does not start: with `failure` filled in, or, where the system could not load it whole, with the
/// `code` that it ended with.
void run_program(const Self& self, const wchar_t* marked_tree, Failure& failure, DWORD& code);

} // namespace omnistasis::launcher
