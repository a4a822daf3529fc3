// Where the app tree is: beside the launcher, or in the user's cache folder, where it is put once.
#pragma once

#include "self_windows.h"

namespace omnistasis::launcher {

/// The folder form's tree, next to the launcher; or, for a launcher inside the tree, a folder above it.
void find_beside(const Self& self, wchar_t*& tree);

/// The tree in the user's cache folder, unpacked there unless it is there already. Many processes at once do
/// it once. False with `failure` filled in where that can't be done.
bool provide_in_cache(const Self& self, wchar_t*& tree, Failure& failure);

/// Compares each file of the tree with the payload's index.
bool check_tree(const Self& self, const wchar_t* tree, bool in_cache, Failure& failure);

} // namespace omnistasis::launcher
