// Unpacks a payload's tree.
#pragma once

#include "self_windows.h"

namespace omnistasis::launcher {

/// Unpacks the payload into the folder `tree`: on all cores, with the largest block in memory for each.
bool unpack(const Self& self, const wchar_t* tree, Failure& failure);

} // namespace omnistasis::launcher
