// Starts the tree's program.
#pragma once

#include "self_windows.h"

namespace omnistasis::launcher {

/// Starts the program with the same standard streams, waits, and ends with its exit code. Comes back, with
/// `failure` filled in, only where it does not start.
void run_program(const Self& self, const wchar_t* marked_tree, Failure& failure);

} // namespace omnistasis::launcher
