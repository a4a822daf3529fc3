// What the application writes. It lives in the user's data folder, and links lead there from the tree.
#pragma once

#include "state_list.h"
#include "tree_place_posix.h"

namespace omnistasis::launcher {

/// Sees to it that every state path in the tree leads to the user's data folder (docs/project-file.md,
/// "[[state]]"), and that there is the initial content. One look at each path where all is as it was. What
/// the application itself put in a link's place is moved to where the link led; so is, in a tree in the cache
/// that is started for the first time, what earlier versions have in theirs.
StateResult provide_state(const Self& self, const TreePlace& place, Failure& failure);

/// Moves what stands in the places of links in another version's tree, which is open, to the data folder.
/// False where something is left there.
bool adopt_state(const Self& self, int tree);

} // namespace omnistasis::launcher
