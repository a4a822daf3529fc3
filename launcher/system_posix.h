// What the launcher asks the system, where Linux and macOS answer in other ways.
#pragma once

#include <stddef.h>
#include <sys/stat.h>
#include <sys/types.h>

namespace omnistasis::launcher {

/// Whether a tree beside the launcher may not be changed whoever owns it, as the system has a seal over it:
/// one whose application has state is copied.
extern const bool tree_beside_is_sealed;

/// The running executable's absolute path, without links. False where it can't be told.
bool executable_path(char* path, size_t room);

/// Opens the file at whose end the payload is. -1 with errno.
int open_payload();

/// The name that the system gave to its present run, of as many bytes; false where it gives none.
constexpr size_t run_size = 36;
bool read_run(char* run);

/// Whether programs may be started from the disk that a folder is on.
bool may_start_from(int folder);

/// Where users have their own files of a kind.
struct UserFolder {
    const char* variable;   ///< names the folder; null where the system has none
    const char* below_home; ///< where it is else
};
extern const UserFolder user_data, user_caches;

/// Opens an entry of a folder to be looked at, a link as itself. -1 with errno.
int open_entry(int folder, const char* name);

/// Where a link leads that open_entry opened.
ssize_t read_entry(int link, int folder, const char* name, char* target, size_t room);

/// Whether a user's number stands for one that is trusted as root is.
bool is_as_root(uid_t user);

/// The path of an open folder, without links. False where it can't be told.
bool path_of(int folder, char* path, size_t room);

/// Whether any process runs from the folder `tree`, whose path ends in a slash, or uses what is in it.
bool is_in_use(const char* tree);

/// A copy of an open file with the name `path` in a folder, which takes no room of its own until one of the
/// two is changed. False where the disk can't do that.
bool clone_file(int file, int folder, const char* path);

} // namespace omnistasis::launcher
