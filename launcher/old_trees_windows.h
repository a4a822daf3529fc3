// Trees of other versions of the application.
#pragma once

#include "tree_place_windows.h"

namespace omnistasis::launcher {

/// Removes a user's other versions of the application, which lie beside that of `place`, that were
/// not started for three days and that nothing runs from: what can be renamed is not in use. What the
/// application saved in there is taken over first.
void remove_old_trees(const Self& self, const TreePlace& place);

} // namespace omnistasis::launcher
