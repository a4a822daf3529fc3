#include "trusted_folder_posix.h"

#include "system_posix.h"

#include <errno.h>
#include <fcntl.h>
#include <pwd.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

namespace omnistasis::launcher {

namespace {

constexpr int most_links = 40; ///< as the kernel's own bound
constexpr size_t longest_path = 8192;

bool is_trusted_owner(uid_t user) { return user == geteuid() || user == 0 || is_as_root(user); }

/// The bits of those who could write and are neither the user nor root.
mode_t written_by_others(const struct stat& status) {
    bool own_group = status.st_gid == geteuid() || status.st_gid == 0;
    return status.st_mode & (own_group ? 02u : 022u);
}

bool is_trusted_step(const struct stat& status) {
    if (!is_trusted_owner(status.st_uid)) return false;
    return written_by_others(status) == 0 || (status.st_mode & S_ISVTX) != 0;
}

/// Whether a folder is one of those above the user's home, as the user database has it. Root chose that
/// place, and so trusts whoever owns the folders above: as where somebody else administers the homes of a
/// department.
bool is_above_home(const char* folder) {
    const passwd* user = getpwuid(geteuid());
    size_t length = strlen(folder);
    return user != nullptr && user->pw_dir != nullptr && user->pw_dir[0] == '/' && user->pw_uid != 0 &&
           strncmp(user->pw_dir, folder, length) == 0 && user->pw_dir[length] == '/' &&
           user->pw_dir[length + 1 + strspn(user->pw_dir + length + 1, "/")] != 0;
}

/// The walk along a path.
struct Walk {
    int folder = -1;
    char rest[longest_path]; ///< what is to be walked, without a slash in front
    char* real = nullptr;    ///< of `folder`, empty for the root
    size_t room = 0;

    bool fail(int reason) {
        if (folder >= 0) close(folder);
        folder = -1;
        errno = reason;
        return false;
    }

    bool to_root() {
        if (folder >= 0) close(folder);
        folder = open_entry(-1, "/");
        real[0] = 0;
        struct stat status;
        if (folder < 0 || fstat(folder, &status) != 0) return fail(errno);
        return is_trusted_step(status) || fail(EPERM);
    }

    bool up() {
        int above = open_entry(folder, "..");
        if (above < 0) return fail(errno);
        close(folder);
        folder = above;
        if (char* slash = strrchr(real, '/')) *slash = 0;
        return true;
    }

    /// Goes on with a link's target in front of what is left.
    bool follow(int link, const char* name) {
        char target[longest_path], left[longest_path];
        ssize_t length = read_entry(link, folder, name, target, sizeof target - 1);
        if (length < 0) return fail(errno);
        target[length] = 0;
        strcpy(left, rest);
        if (snprintf(rest, sizeof rest, "%s/%s", target, left) >= static_cast<int>(sizeof rest))
            return fail(ENAMETOOLONG);
        if (target[0] != '/') {
            // Named for the message alone until it is entered.
            if (char* slash = strrchr(real, '/')) *slash = 0;
            return true;
        }
        return to_root();
    }

    bool enter(const char* name, bool make, int& links) {
        size_t length = strlen(real), needed = strlen(name) + 2;
        if (length + needed > room) return fail(ENAMETOOLONG);
        real[length] = '/';
        strcpy(real + length + 1, name);
        int next = open_entry(folder, name);
        if (next < 0 && errno == ENOENT && make) {
            if (mkdirat(folder, name, 0700) != 0 && errno != EEXIST) return fail(errno);
            next = open_entry(folder, name);
        }
        struct stat status;
        if (next < 0 || fstat(next, &status) != 0) {
            int reason = errno;
            if (next >= 0) close(next);
            return fail(reason);
        }
        bool is_link = S_ISLNK(status.st_mode);
        if (is_link ? !is_trusted_owner(status.st_uid)
                    : !is_trusted_step(status) && !(S_ISDIR(status.st_mode) && is_above_home(real))) {
            close(next);
            return fail(S_ISDIR(status.st_mode) || is_link ? EPERM : ENOTDIR);
        }
        if (is_link) {
            bool right = ++links <= most_links ? follow(next, name) : fail(ELOOP);
            close(next);
            return right;
        }
        if (!S_ISDIR(status.st_mode)) {
            close(next);
            return fail(ENOTDIR);
        }
        close(folder);
        folder = next;
        return true;
    }
};

} // namespace

int open_trusted_folder(const char* path, bool make, char* real, size_t room) {
    static Walk walk;
    walk = {};
    walk.real = real;
    walk.room = room;
    if (path[0] != '/' || strlen(path) >= sizeof walk.rest) return errno = ENAMETOOLONG, -1;
    strcpy(walk.rest, path);
    if (!walk.to_root()) return -1;
    int links = 0;
    for (;;) {
        char* name = walk.rest + strspn(walk.rest, "/");
        size_t length = strcspn(name, "/");
        if (length == 0) break;
        char part[256];
        if (length >= sizeof part) return walk.fail(ENAMETOOLONG), -1;
        memcpy(part, name, length);
        part[length] = 0;
        memmove(walk.rest, name + length, strlen(name + length) + 1);
        if (strcmp(part, ".") == 0) continue;
        if (!(strcmp(part, "..") == 0 ? walk.up() : walk.enter(part, make, links))) return -1;
    }
    int opened = openat(walk.folder, ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    int reason = errno;
    close(walk.folder);
    if (real[0] == 0) strcpy(real, "/");
    errno = reason;
    return opened;
}

} // namespace omnistasis::launcher
