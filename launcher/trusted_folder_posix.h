// Folders whose content nobody but the user and the system's administrator can have made.
#pragma once

#include <stddef.h>

namespace omnistasis::launcher {

/// Opens the folder `path`, absolute, step by step from the root. Each step is looked at on its open
/// descriptor: it has to belong to the user or to root, and may be written by others only where they can't
/// rename what is not theirs (the sticky bit). So nobody else can put another thing in a step's place later,
/// and the folder may be used by its path. The folders above the home that the user database names may be
/// anybody's. A link is followed, by us, where it belongs to the user or to root. With `make` steps that are
/// missing are made, with mode 0700.
///
/// Gives the descriptor, and in `real` the path without links. -1 with errno where that can't be done: EPERM
/// for a step that others can change; `real` names the step.
int open_trusted_folder(const char* path, bool make, char* real, size_t room);

} // namespace omnistasis::launcher
