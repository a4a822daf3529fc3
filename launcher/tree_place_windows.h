// Where the app tree is: beside the launcher, or in the user's cache folder, where it is put once.
#pragma once

#include "self_windows.h"

namespace omnistasis::launcher {

/// A tree that can be started from.
struct TreePlace {
    wchar_t* path = nullptr; ///< absolute, with `\\?\`
    bool in_cache = false;   ///< else it lies beside the launcher
    const wchar_t* beside =
        nullptr; ///< in the cache: the folder that it was copied from; null: it was unpacked
    bool was_idle =
        false; ///< in the cache: not started for a day, or new; a good moment to look for old ones
};

/// The folder form's tree, next to the launcher; or, for a launcher inside the tree, a folder above it.
void find_beside(const Self& self, TreePlace& place);

/// The tree in the user's cache folder. Puts it there unless it is there already: unpacked, or, where the
/// payload says that the tree is in the folder `beside`, copied from there. Many processes at once do it
/// once. False with `failure` filled in where that can't be done.
bool provide_in_cache(const Self& self, const wchar_t* beside, TreePlace& place, Failure& failure);

/// Puts a tree that is in the cache there anew, where it is not what was built; false where it is, or where
/// that can't be done.
bool repair_in_cache(const Self& self, TreePlace& place, Failure& failure);

/// Compares each file of the tree with the payload's index.
bool check_tree(const Self& self, const TreePlace& place, Failure& failure);

/// In a tree that is complete, the file that says so; its time is that of the last start, to a day.
constexpr const wchar_t* complete_marker = L".complete";

} // namespace omnistasis::launcher
