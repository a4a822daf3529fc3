// Trees of other versions of the application.
#pragma once

#include <wchar.h>

namespace omnistasis::launcher {

/// Removes a user's other versions of the application, which lie beside `tree`, that nothing runs from: a
/// program that runs can't be removed, so what can be renamed is not in use.
void remove_old_trees(const wchar_t* tree);

} // namespace omnistasis::launcher
