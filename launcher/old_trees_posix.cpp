#include "old_trees_posix.h"

#include "files_posix.h"
#include "state_posix.h"
#include "system_posix.h"

#include <ctype.h>
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

namespace omnistasis::launcher {

namespace {

/// Whether a tree was not started for so long that it may go.
bool is_old(int cache, const char* name) {
    char marker[512];
    struct stat status;
    snprintf(marker, sizeof marker, "%s/%s", name, complete_marker);
    return fstatat(cache, marker, &status, AT_SYMLINK_NOFOLLOW) == 0 &&
           time(nullptr) - status.st_mtim.tv_sec > days_kept * 24 * 60 * 60;
}

/// Calls `take` with each old tree's name but the present one's; true where one of the calls is.
template <typename Take> bool any_old_tree(const Self& self, int cache, const char* present, Take take) {
    int folder = openat(cache, ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    DIR* stream = folder < 0 ? nullptr : fdopendir(folder);
    if (stream == nullptr) return false;
    bool any = false;
    while (dirent* entry = readdir(stream))
        if (strcmp(entry->d_name, present) != 0 && is_tree_name(self, entry->d_name) &&
            is_old(cache, entry->d_name) && take(entry->d_name))
            any = true;
    closedir(stream);
    return any;
}

void remove_under_lock(const Self& self, int cache, const char* cache_path, const char* name) {
    char path[8192], gone[512];
    snprintf(path, sizeof path, "%s/%s", name, complete_marker);
    int marker = openat(cache, path, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    // Whoever starts it right now has this lock until its program runs, and can be seen running from then on.
    if (marker < 0 || flock(marker, LOCK_EX | LOCK_NB) != 0) {
        if (marker >= 0) close(marker);
        return;
    }
    int tree = openat(cache, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    snprintf(path, sizeof path, "%s/%s/", cache_path, name);
    if (tree >= 0 && !is_in_use(path) && adopt_state(self, tree)) {
        snprintf(gone, sizeof gone, ".%s.gone", name);
        remove_all(cache, gone);
        if (unlinkat(tree, complete_marker, 0) == 0 && renameat(cache, name, cache, gone) == 0)
            remove_all(cache, gone);
        snprintf(gone, sizeof gone, ".%s.new", name);
        remove_all(cache, gone);
    }
    if (tree >= 0) close(tree);
    close(marker);
}

/// Under the lock that a start holds while it puts the tree there; nothing is done where one does.
void remove_one(const Self& self, int cache, const char* cache_path, const char* name) {
    char lock_name[512];
    struct stat status;
    snprintf(lock_name, sizeof lock_name, ".%s.lock", name);
    int lock = open_locked(cache, lock_name, false);
    if (lock < 0) return;
    remove_under_lock(self, cache, cache_path, name);
    if (fstatat(cache, name, &status, AT_SYMLINK_NOFOLLOW) != 0) unlinkat(cache, lock_name, 0);
    close(lock);
}

} // namespace

void remove_old_trees(const Self& self, const TreePlace& place) {
    char cache_path[8192];
    snprintf(cache_path, sizeof cache_path, "%s", place.path);
    char* slash = strrchr(cache_path, '/');
    *slash = 0;
    const char* present = slash + 1;
    int cache = open(cache_path, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (cache < 0) return;
    bool any = any_old_tree(self, cache, present, [](const char*) { return true; });
    pid_t child = any ? fork() : -1;
    if (child == 0) {
        // Nobody's child, in nobody's way: whoever waits for the application's output does not wait for this.
        if (fork() != 0) _exit(0);
        setsid();
        int nothing = open("/dev/null", O_RDWR);
        for (int stream = 0; stream < 3; ++stream) dup2(nothing, stream);
        for (int other = 3; other < 1024; ++other)
            if (other != cache) close(other);
        signal(SIGPIPE, SIG_IGN);
        setpriority(PRIO_PROCESS, 0, 19);
        if (chdir("/") != 0) _exit(1);
        char real[4096];
        if (!path_of(cache, real, sizeof real)) _exit(1);
        any_old_tree(self, cache, present, [&](const char* name) {
            remove_one(self, cache, real, name);
            return true;
        });
        _exit(0);
    }
    if (child > 0)
        while (waitpid(child, nullptr, 0) < 0 && errno == EINTR) {
        }
    close(cache);
}

} // namespace omnistasis::launcher
