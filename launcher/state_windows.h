// What the application writes. It lives in the user's data folder, and the tree leads there: to a folder by a
// junction, to a file by a hard link, as both need no rights that users lack.
#pragma once

#include "self_windows.h"
#include "state_list.h"

namespace omnistasis::launcher {

/// Sees to it that every state path in the tree leads to the user's data folder (docs/payload-format.md,
/// "State"), and that there is the initial content. Few looks at each path where all is as it was. What the
/// application itself put in a link's place, in this tree or in that of another version, is taken over, and
/// so is what SQLite left beside a database.
StateResult provide_state(const Self& self, const wchar_t* tree, bool in_cache, Failure& failure);

/// When the application has ended: what it put in the place of links to files is taken over at once.
void keep_state(const Self& self, const wchar_t* tree);

/// Takes over what stands in the places of links in a tree that is to be removed. False where something is
/// left there.
bool adopt_state(const Self& self, const wchar_t* tree);

} // namespace omnistasis::launcher
