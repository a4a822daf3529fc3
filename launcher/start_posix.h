// How the tree's program is started, which Linux and macOS do differently.
#pragma once

#include "tree_place_posix.h"

namespace omnistasis::launcher {

/// The variables that are set for the program: those of the head, and what the system needs besides.
payload::Bytes variables_to_set(const Self& self);

/// Becomes the program `arguments[0]`; in front of it is room for one more. Comes back, with `failure` filled
/// in, only where it can't.
void start_program(const Self& self, const TreePlace& place, char** arguments, Failure& failure);

} // namespace omnistasis::launcher
