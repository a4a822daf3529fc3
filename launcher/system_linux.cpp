#include "system_posix.h"

#include <ctype.h>
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/statvfs.h>
#include <unistd.h>

namespace omnistasis::launcher {

namespace {

constexpr const char* own_executable = "/proc/self/exe";

size_t read_small(const char* file, char* text, size_t room) {
    int descriptor = open(file, O_RDONLY | O_CLOEXEC);
    ssize_t size = descriptor < 0 ? 0 : read(descriptor, text, room - 1);
    if (descriptor >= 0) close(descriptor);
    text[size > 0 ? size : 0] = 0;
    return strlen(text);
}

/// Whether a file of a process's own, as /proc has it, names something in the folder `tree`.
bool mentions(int process, const char* file, const char* tree) {
    static char buffer[64 << 10];
    int descriptor = openat(process, file, O_RDONLY | O_CLOEXEC);
    if (descriptor < 0) return false;
    size_t length = strlen(tree), kept = 0;
    bool found = false;
    for (ssize_t count = 0; !found && (count = read(descriptor, buffer + kept, sizeof buffer - kept)) > 0;) {
        size_t size = kept + static_cast<size_t>(count);
        found = memmem(buffer, size, tree, length) != nullptr;
        // A name may stand across two reads.
        kept = size < length ? size : length;
        memmove(buffer, buffer + size - kept, kept);
    }
    close(descriptor);
    return found;
}

bool leads_into(int process, const char* link, const char* tree) {
    char target[4096];
    size_t length = strlen(tree);
    ssize_t size = readlinkat(process, link, target, sizeof target);
    return size >= static_cast<ssize_t>(length) && memcmp(target, tree, length) == 0;
}

} // namespace

const bool tree_beside_is_sealed = false;
// The XDG Base Directory Specification (0.8).
const UserFolder user_data{"XDG_DATA_HOME", "/.local/share"}, user_caches{"XDG_CACHE_HOME", "/.cache"};

bool executable_path(char* path, size_t room) {
    ssize_t size = readlink(own_executable, path, room - 1);
    if (size <= 0) return false;
    path[size] = 0;
    return true;
}

int open_payload() { return open(own_executable, O_RDONLY | O_CLOEXEC); }

bool read_run(char* run) {
    int file = open("/proc/sys/kernel/random/boot_id", O_RDONLY | O_CLOEXEC);
    bool known = file >= 0 && read(file, run, run_size) == static_cast<ssize_t>(run_size);
    if (file >= 0) close(file);
    return known;
}

bool may_start_from(int folder) {
    struct statvfs disk;
    return fstatvfs(folder, &disk) != 0 || (disk.f_flag & ST_NOEXEC) == 0;
}

int open_entry(int folder, const char* name) { return openat(folder, name, O_PATH | O_NOFOLLOW | O_CLOEXEC); }

ssize_t read_entry(int link, int, const char*, char* target, size_t room) {
    return readlinkat(link, "", target, room);
}

/// One that stands for all those that this namespace of users does not know, root among them: as in a sandbox
/// that one user made.
bool is_as_root(uid_t user) {
    char text[1024];
    if (read_small("/proc/sys/kernel/overflowuid", text, sizeof text) == 0 ||
        strtoul(text, nullptr, 10) != user || read_small("/proc/self/uid_map", text, sizeof text) == 0)
        return false;
    // Lines of three numbers: the first user in here, the first outside, how many.
    for (char* at = text; *at != 0;) {
        unsigned long first = strtoul(at, &at, 10);
        strtoul(at, &at, 10);
        unsigned long count = strtoul(at, &at, 10);
        if (user >= first && user - first < count) return false;
        at += strspn(at, " \n");
        if (count == 0) return false;
    }
    return true;
}

bool path_of(int folder, char* path, size_t room) {
    char number[64];
    snprintf(number, sizeof number, "/proc/self/fd/%d", folder);
    ssize_t size = readlink(number, path, room - 1);
    if (size <= 0) return false;
    path[size] = 0;
    return true;
}

/// It may have its program there, have a file of it mapped, or be in it.
bool is_in_use(const char* tree) {
    DIR* stream = opendir("/proc");
    if (stream == nullptr) return true;
    bool used = false;
    while (dirent* entry = readdir(stream)) {
        if (!isdigit(static_cast<unsigned char>(entry->d_name[0])) || used) continue;
        int process = openat(dirfd(stream), entry->d_name, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
        if (process < 0) continue;
        used = leads_into(process, "exe", tree) || leads_into(process, "cwd", tree);
        used = used || mentions(process, "maps", tree);
        close(process);
    }
    closedir(stream);
    return used;
}

bool clone_file(int, int, const char*) { return errno = EXDEV, false; }

} // namespace omnistasis::launcher
