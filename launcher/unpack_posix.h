// Unpacks a payload's tree.
#pragma once

#include "self.h"

namespace omnistasis::launcher {

/// Unpacks the payload of the executable, which is `mapped`, into the open folder `tree`: on all cores, with
/// the largest block in memory for each.
bool unpack(const Self& self, const uint8_t* mapped, int tree, Failure& failure);

/// A file's place, ended by a zero byte; false with errno where the system takes none that long.
bool copy_place(const payload::File& file, char (&place)[4096]);

/// Opens a file of the tree to be written, and makes the folders above it. -1 with errno.
int open_in_tree(int tree, const payload::File& file);

} // namespace omnistasis::launcher
