// Takes away the trees of earlier versions of the application.
#pragma once

#include "tree_place_posix.h"

namespace omnistasis::launcher {

/// Days that a tree stays after its last start, so that two versions in use do not take each other away.
constexpr int days_kept = 3;

/// Removes, in a process in the background, the trees of this application in the cache folder that were not
/// started for `days_kept` days and that no process uses. What the application wrote there goes to its data
/// folder before. Costs the starting process one look at the folder.
void remove_old_trees(const Self& self, const TreePlace& place);

} // namespace omnistasis::launcher
