// The few things that the launcher does with files. Nothing here follows a link where that could lead to a
// place that somebody else chose.
#pragma once

#include <stddef.h>
#include <stdint.h>
#include <sys/stat.h>

namespace omnistasis::launcher {

/// Whether what `status` says may be used as the user's own: it is nobody else's, and others can't write it.
/// The group may where it is the user's own, of the same number, as many systems give one to each user.
bool is_own(const struct stat& status);

/// The same of something that is open; sets errno where it is not.
bool is_private(int descriptor);

/// Opens a folder of the user's own, made where it is missing: no link, nobody else's, not writable for
/// others. -1 with errno where it is not such.
int open_private_folder(int parent, const char* name);

/// Opens the file `name`, made where it is missing, and locks it for this process alone. Whoever else has the
/// lock may take the file away: then it is another by the time that the lock is ours, and it begins anew. -1
/// with errno; EWOULDBLOCK where another has it and this does not wait.
int open_locked(int parent, const char* name, bool waits);

/// Makes the folders above `path`, which is relative to the folder `parent`.
bool make_folders_above(int parent, const char* path);

bool read_at(int descriptor, void* buffer, size_t size, uint64_t offset);
bool write_at(int descriptor, const uint8_t* data, size_t size, uint64_t offset);

/// Removes a folder, or a file, with everything in it.
void remove_all(int parent, const char* name);

/// Copies a file or folder with what is in it to a name that is free; links are copied as links. `temporary`
/// is the new content's name until it is whole and on the disk. False with errno.
bool copy_all(int from_parent, const char* from, int to_parent, const char* temporary, const char* to);

/// The folder for the user's data (system_posix.h). False where there is none.
bool data_base(char* path, size_t room);

/// The user's home folder as the environment says, else as the user database does; null where neither does.
const char* home_folder();

} // namespace omnistasis::launcher
