// Where the app tree is: beside the launcher, or in the user's cache folder, where it is put once.
#pragma once

#include "self.h"

namespace omnistasis::launcher {

/// A tree that can be started from.
struct TreePlace {
    char path[8192] = {};         ///< absolute
    bool in_cache = false;        ///< else it lies beside the launcher
    const char* beside = nullptr; ///< in the cache: the folder that it was copied from; null: it was unpacked
    int marker = -1; ///< in the cache: the mark that it is complete, with a lock that keeps the tree there
    bool was_idle =
        false; ///< in the cache: not started for a day, or new; a good moment to look for old ones
};

/// The folder form's tree, next to the launcher's real place.
bool find_beside(const Self& self, TreePlace& place, Failure& failure);

/// The tree in the user's cache folder. Puts it there unless it is there already: unpacked, or, where the
/// payload says that the tree is in the folder `beside`, copied from there. Many processes at once do it
/// once. False with `failure` filled in where that can't be done.
bool provide_in_cache(const Self& self, const char* beside, TreePlace& place, Failure& failure);

/// Puts a tree that is in the cache there anew, where it is not what was built; false where it is, or where
/// that can't be done.
bool repair_in_cache(const Self& self, const char* beside, TreePlace& place, Failure& failure);

/// Compares each file of the tree with the payload's index.
bool check_tree(const Self& self, const TreePlace& place, Failure& failure);

constexpr const char* complete_marker = ".complete";

/// Whether a name in the cache folder is that of a tree of this application, this or another version.
bool is_tree_name(const Self& self, const char* name);

} // namespace omnistasis::launcher
