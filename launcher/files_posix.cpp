#include "files_posix.h"

#include "system_posix.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <pwd.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

namespace omnistasis::launcher {

namespace {

constexpr int deepest = 200; ///< folders in folders

bool is_self_or_parent(const char* name) { return strcmp(name, ".") == 0 || strcmp(name, "..") == 0; }

void remove_below(int parent, const char* name, int depth) {
    int folder = openat(parent, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    if (folder >= 0 && depth < deepest) {
        if (DIR* stream = fdopendir(folder)) {
            while (dirent* entry = readdir(stream)) {
                if (is_self_or_parent(entry->d_name)) continue;
                if (unlinkat(folder, entry->d_name, 0) != 0) remove_below(folder, entry->d_name, depth + 1);
            }
            closedir(stream);
        } else {
            close(folder);
        }
    }
    unlinkat(parent, name, AT_REMOVEDIR);
}

bool copy_content(int from, int to) {
    static uint8_t buffer[256 << 10];
    uint64_t at = 0;
    for (;;) {
        ssize_t count = read(from, buffer, sizeof buffer);
        if (count < 0 && errno == EINTR) continue;
        if (count <= 0) return count == 0 && fsync(to) == 0;
        if (!write_at(to, buffer, static_cast<size_t>(count), at)) return false;
        at += static_cast<uint64_t>(count);
    }
}

bool copy_below(int from_parent, const char* from, int to_parent, const char* to, int depth) {
    struct stat status;
    if (fstatat(from_parent, from, &status, AT_SYMLINK_NOFOLLOW) != 0) return false;
    if (S_ISLNK(status.st_mode)) {
        char target[4096];
        ssize_t length = readlinkat(from_parent, from, target, sizeof target - 1);
        if (length < 0) return false;
        target[length] = 0;
        return symlinkat(target, to_parent, to) == 0;
    }
    if (!S_ISREG(status.st_mode) && !S_ISDIR(status.st_mode)) return true;
    int source = openat(from_parent, from, O_RDONLY | O_NOFOLLOW | O_CLOEXEC);
    if (source < 0) return false;
    bool done = false;
    if (S_ISREG(status.st_mode)) {
        unsigned mode = 0600 | (status.st_mode & 0100);
        int target = openat(to_parent, to, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, mode);
        done = target >= 0 && copy_content(source, target);
        if (target >= 0 && close(target) != 0) done = false;
        close(source);
        return done;
    }
    int target = mkdirat(to_parent, to, 0700) == 0
                     ? openat(to_parent, to, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC)
                     : -1;
    DIR* stream = target < 0 || depth >= deepest ? nullptr : fdopendir(source);
    if (stream == nullptr) {
        close(source);
    } else {
        done = true;
        while (dirent* entry = readdir(stream))
            if (!is_self_or_parent(entry->d_name) && done)
                done = copy_below(source, entry->d_name, target, entry->d_name, depth + 1);
        closedir(stream);
    }
    if (target >= 0) close(target);
    return done;
}

} // namespace

bool is_own(const struct stat& status) {
    return status.st_uid == geteuid() && (status.st_mode & (status.st_gid == geteuid() ? 02u : 022u)) == 0;
}

bool is_private(int descriptor) {
    struct stat status;
    bool mine = fstat(descriptor, &status) == 0 && is_own(status);
    if (!mine) errno = EPERM;
    return mine;
}

int open_private_folder(int parent, const char* name) {
    if (mkdirat(parent, name, 0700) != 0 && errno != EEXIST) return -1;
    int folder = openat(parent, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    if (folder < 0) return -1;
    if (is_private(folder)) return folder;
    close(folder);
    errno = EPERM;
    return -1;
}

int open_locked(int parent, const char* name, bool waits) {
    for (;;) {
        int lock = openat(parent, name, O_RDWR | O_CREAT | O_NOFOLLOW | O_CLOEXEC, 0600);
        if (lock < 0) return -1;
        int taken = 0;
        while ((taken = flock(lock, waits ? LOCK_EX : LOCK_EX | LOCK_NB)) != 0 && errno == EINTR) {
        }
        struct stat ours, there;
        // Some network disks know no locks: there it is done without.
        if (taken != 0 && errno == EWOULDBLOCK) return close(lock), errno = EWOULDBLOCK, -1;
        if (fstat(lock, &ours) == 0 && fstatat(parent, name, &there, AT_SYMLINK_NOFOLLOW) == 0 &&
            ours.st_ino == there.st_ino && ours.st_dev == there.st_dev)
            return lock;
        close(lock);
    }
}

bool make_folders_above(int parent, const char* path) {
    char folder[4096];
    if (strlen(path) >= sizeof folder) return errno = ENAMETOOLONG, false;
    strcpy(folder, path);
    for (char* slash = strchr(folder, '/'); slash != nullptr; slash = strchr(slash + 1, '/')) {
        *slash = 0;
        if (mkdirat(parent, folder, 0700) != 0 && errno != EEXIST) return false;
        *slash = '/';
    }
    return true;
}

bool read_at(int descriptor, void* buffer, size_t size, uint64_t offset) {
    auto* at = static_cast<uint8_t*>(buffer);
    while (size > 0) {
        ssize_t count = pread(descriptor, at, size, static_cast<off_t>(offset));
        if (count < 0 && errno == EINTR) continue;
        if (count <= 0) return false;
        at += count;
        size -= static_cast<size_t>(count);
        offset += static_cast<uint64_t>(count);
    }
    return true;
}

bool write_at(int descriptor, const uint8_t* data, size_t size, uint64_t offset) {
    while (size > 0) {
        ssize_t count = pwrite(descriptor, data, size, static_cast<off_t>(offset));
        if (count < 0 && errno == EINTR) continue;
        if (count <= 0) return false;
        data += count;
        size -= static_cast<size_t>(count);
        offset += static_cast<uint64_t>(count);
    }
    return true;
}

void remove_all(int parent, const char* name) {
    if (unlinkat(parent, name, 0) != 0) remove_below(parent, name, 0);
}

bool copy_all(int from_parent, const char* from, int to_parent, const char* temporary, const char* to) {
    remove_all(to_parent, temporary);
    if (copy_below(from_parent, from, to_parent, temporary, 0) &&
        renameat(to_parent, temporary, to_parent, to) == 0)
        return true;
    int reason = errno;
    remove_all(to_parent, temporary);
    errno = reason;
    return false;
}

const char* home_folder() {
    const char* home = getenv("HOME");
    if (home != nullptr && home[0] == '/' && home[1] != 0) return home;
    const passwd* user = getpwuid(geteuid());
    return user == nullptr || user->pw_dir == nullptr || user->pw_dir[0] != '/' || user->pw_dir[1] == 0
               ? nullptr
               : user->pw_dir;
}

bool data_base(char* path, size_t room) {
    const char* base = user_data.variable == nullptr ? nullptr : getenv(user_data.variable);
    const char* tail = "";
    if (base == nullptr || base[0] != '/') {
        base = home_folder();
        tail = user_data.below_home;
    }
    return base != nullptr && snprintf(path, room, "%s%s", base, tail) < static_cast<int>(room);
}

} // namespace omnistasis::launcher
