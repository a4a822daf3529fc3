#include "state_posix.h"

#include "files_posix.h"
#include "trusted_folder_posix.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

namespace omnistasis::launcher {

namespace {

constexpr const char* lock_name = ".omnistasis.lock";
constexpr const char* trees_name = ".omnistasis.trees";

/// The user's data folder for this application.
struct DataFolder {
    char path[4096] = {};
    int folder = -1;
};

bool name_data_folder(const Self& self, DataFolder& data) {
    char base[4096];
    if (!data_base(base, sizeof base)) return false;
    int length = snprintf(data.path, sizeof data.path, "%s/%.*s", base, static_cast<int>(self.head.name.size),
                          reinterpret_cast<const char*>(self.head.name.data));
    return length < static_cast<int>(sizeof data.path);
}

/// Opens it, made where it is missing and `make` is set; its path is that without links then.
bool open_data_folder(DataFolder& data, bool make, Failure& failure) {
    char real[sizeof data.path];
    data.folder = open_trusted_folder(data.path, make, real, sizeof real);
    bool is_own_folder = data.folder >= 0 && is_private(data.folder);
    if (is_own_folder && (!make || faccessat(data.folder, ".", W_OK, AT_EACCESS) == 0)) {
        strcpy(data.path, real);
        return true;
    }
    int reason = errno;
    if (data.folder >= 0) close(data.folder);
    data.folder = -1;
    if (reason != EPERM)
        return set(failure, exit_no_room, "can't keep the application's data in", data.path, reason);
    failure.exit_code = exit_no_room;
    snprintf(
        failure.text, sizeof failure.text,
        "can't keep the application's data in %.200s: %.200s is not the user's own, or others can write it",
        data.path, real);
    return false;
}

/// Whether the link in the tree leads to the data folder, and what is there is there.
bool is_linked(int tree, const State& state, const char* target) {
    char found[4096];
    ssize_t length = readlinkat(tree, state.place, found, sizeof found);
    return length > 0 && static_cast<size_t>(length) == strlen(target) &&
           memcmp(found, target, static_cast<size_t>(length)) == 0 && access(target, F_OK) == 0;
}

bool is_there(int folder, const char* path, struct stat& status) {
    return fstatat(folder, path, &status, AT_SYMLINK_NOFOLLOW) == 0;
}

/// Keeps what has to make room: as the first of `<path>.earlier`, `<path>.earlier-2`, ... that is free.
bool keep_aside(int folder, const char* from, const char* path) {
    char name[4200];
    struct stat status;
    snprintf(name, sizeof name, "%s.earlier", path);
    for (int number = 2; is_there(folder, name, status) && number < 10000; ++number)
        snprintf(name, sizeof name, "%s.earlier-%d", path, number);
    return renameat(folder, from, folder, name) == 0;
}

bool is_newer(const struct stat& one, const struct stat& other) {
    return one.st_mtim.tv_sec != other.st_mtim.tv_sec ? one.st_mtim.tv_sec > other.st_mtim.tv_sec
                                                      : one.st_mtim.tv_nsec > other.st_mtim.tv_nsec;
}

/// What was taken out of a tree becomes the content, if it is not older than what is there. Also after a
/// start that was stopped in between.
bool settle_taken(const State& state, const char* taken, const DataFolder& data) {
    struct stat of_taken, of_content;
    if (!is_there(data.folder, taken, of_taken)) return true;
    if (is_there(data.folder, state.path, of_content)) {
        if (is_newer(of_content, of_taken)) return keep_aside(data.folder, taken, state.path);
        // A file that replaces a file is how programs save; a folder is more than its name.
        bool any_folder = S_ISDIR(of_content.st_mode) || S_ISDIR(of_taken.st_mode);
        if (any_folder && !keep_aside(data.folder, state.path, state.path)) return false;
    }
    return renameat(data.folder, taken, data.folder, state.path) == 0;
}

/// What the application put in the link's place, moved to where the link led. True where nothing is left
/// there.
bool adopt(int tree, const State& state, const DataFolder& data) {
    char taken[4200];
    struct stat status;
    snprintf(taken, sizeof taken, "%s.taken", state.path);
    if (!settle_taken(state, taken, data)) return false;
    if (!is_there(tree, state.place, status) || S_ISLNK(status.st_mode)) return true;
    if (!make_folders_above(data.folder, state.path)) return false;
    if (renameat(tree, state.place, data.folder, taken) != 0) {
        char whole[4220];
        snprintf(whole, sizeof whole, "%s.copying", state.path);
        if (errno != EXDEV || !copy_all(tree, state.place, data.folder, whole, taken)) return false;
        remove_all(tree, state.place);
    }
    return settle_taken(state, taken, data);
}

/// The initial content, unless there is some already.
bool fill(int tree, const State& state, const DataFolder& data) {
    struct stat status;
    if (is_there(data.folder, state.path, status)) return true;
    if (!make_folders_above(data.folder, state.path)) return false;
    char initial[4200], temporary[4200];
    snprintf(initial, sizeof initial, "%s/%s", initial_state_folder, state.path);
    snprintf(temporary, sizeof temporary, "%s.new", state.path);
    if (is_there(tree, initial, status)) return copy_all(tree, initial, data.folder, temporary, state.path);
    return !state.is_folder || mkdirat(data.folder, state.path, 0700) == 0;
}

bool make_link(int tree, const State& state, const char* target) {
    char temporary[4200];
    snprintf(temporary, sizeof temporary, "%s.link", state.place);
    unlinkat(tree, temporary, 0);
    return make_folders_above(tree, state.place) && symlinkat(target, tree, temporary) == 0 &&
           renameat(tree, temporary, tree, state.place) == 0;
}

void target_of(const DataFolder& data, const State& state, char* target, size_t room) {
    snprintf(target, room, "%s/%s", data.path, state.path);
}

/// The trees, of whatever version and form, that have led here, one path a line.
struct KnownTrees {
    char text[32 << 10] = {};

    void read(const DataFolder& data) {
        int file = openat(data.folder, trees_name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
        bool is_right = file >= 0 && is_private(file);
        ssize_t size = is_right ? ::read(file, text, sizeof text - 1) : 0;
        text[size > 0 ? size : 0] = 0;
        if (file >= 0) close(file);
    }

    /// Calls `take` with each tree that is there and the user's own, and with its path; true where one of the
    /// calls is.
    template <typename Take> bool any(Take take) const {
        bool found = false;
        for (const char* line = text; *line != 0;) {
            size_t length = strcspn(line, "\n");
            char path[4200];
            if (line[length] == 0) break;
            if (length < sizeof path) {
                memcpy(path, line, length);
                path[length] = 0;
                char real[sizeof path];
                int tree = open_trusted_folder(path, false, real, sizeof real);
                if (tree >= 0 && is_private(tree)) found = take(tree, path) || found;
                if (tree >= 0) close(tree);
            }
            line += length + 1;
        }
        return found;
    }

    /// Writes those that are there still, and `tree`.
    void write(const DataFolder& data, const char* tree) const {
        char temporary[] = ".omnistasis.trees.new";
        int file =
            openat(data.folder, temporary, O_WRONLY | O_CREAT | O_TRUNC | O_NOFOLLOW | O_CLOEXEC, 0600);
        if (file < 0) return;
        uint64_t size = 0;
        auto add = [&](const char* path) {
            size_t length = strlen(path);
            if (strchr(path, '\n') != nullptr || size + length + 1 >= sizeof text) return;
            write_at(file, reinterpret_cast<const uint8_t*>(path), length, size);
            write_at(file, reinterpret_cast<const uint8_t*>("\n"), 1, size + length);
            size += length + 1;
        };
        add(tree);
        any([&](int, const char* path) {
            if (strcmp(path, tree) != 0) add(path);
            return false;
        });
        close(file);
        renameat(data.folder, temporary, data.folder, trees_name);
    }
};

/// Whether the application put something in a link's place.
bool has_replaced(const Self& self, int tree) {
    State state;
    struct stat status;
    for (size_t at = 0; next_state(self.head, at, state);)
        if (is_there(tree, state.place, status) && !S_ISLNK(status.st_mode)) return true;
    return false;
}

/// Takes what stands in the places of links in another tree. Whoever runs there goes on with the same
/// content.
void adopt_of_other(const Self& self, int tree, const DataFolder& data) {
    State state;
    struct stat status;
    char target[8300];
    for (size_t at = 0; next_state(self.head, at, state);) {
        target_of(data, state, target, sizeof target);
        if (is_there(tree, state.place, status) && !S_ISLNK(status.st_mode) && adopt(tree, state, data))
            make_link(tree, state, target);
    }
}

} // namespace

StateResult provide_state(const Self& self, const TreePlace& place, Failure& failure) {
    DataFolder data;
    if (!name_data_folder(self, data)) {
        set(failure, exit_no_room, "there is no folder for the application's data: HOME is not set", "", 0);
        return StateResult::failed;
    }
    Failure not_there;
    bool is_there_already = open_data_folder(data, false, not_there);
    int tree = open(place.path, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    State state;
    char target[8300];
    bool all = is_there_already;
    for (size_t at = 0; all && next_state(self.head, at, state);) {
        target_of(data, state, target, sizeof target);
        all = is_linked(tree, state, target);
    }
    static KnownTrees trees;
    auto is_other = [&](const char* path) { return strcmp(path, place.path) != 0; };
    if (is_there_already) {
        trees.read(data);
        close(data.folder);
    }
    bool any_replaced =
        trees.any([&](int other, const char* path) { return is_other(path) && has_replaced(self, other); });
    if (all && !any_replaced) return close(tree), StateResult::ready;
    // A link leads to one user's data; in somebody else's tree it would lead others astray.
    struct stat status;
    if (!place.in_cache && (fstat(tree, &status) != 0 || status.st_uid != geteuid()))
        return close(tree), StateResult::tree_is_fixed;
    if (!open_data_folder(data, true, failure)) return close(tree), StateResult::failed;
    StateResult result = StateResult::ready;
    int lock = open_locked(data.folder, lock_name, true);
    trees.any([&](int other, const char* path) {
        if (is_other(path)) adopt_of_other(self, other, data);
        return false;
    });
    for (size_t at = 0; result == StateResult::ready && next_state(self.head, at, state);) {
        target_of(data, state, target, sizeof target);
        if (is_linked(tree, state, target)) continue;
        bool adopted = adopt(tree, state, data);
        if (adopted && !fill(tree, state, data)) {
            set(failure, exit_no_room, "can't keep the application's data in", target, errno);
            result = StateResult::failed;
        } else if (!adopted || !make_link(tree, state, target)) {
            result = place.in_cache ? StateResult::failed : StateResult::tree_is_fixed;
            set(failure, exit_no_room, "can't lead to the application's data from", place.path, errno);
        }
    }
    if (result == StateResult::ready) trees.write(data, place.path);
    if (lock >= 0) close(lock);
    close(data.folder);
    close(tree);
    return result;
}

bool adopt_state(const Self& self, int tree) {
    if (!has_replaced(self, tree)) return true;
    DataFolder data;
    Failure failure;
    if (!name_data_folder(self, data) || !open_data_folder(data, true, failure)) return false;
    bool all = true;
    State state;
    for (size_t at = 0; all && next_state(self.head, at, state);) all = adopt(tree, state, data);
    close(data.folder);
    return all;
}

} // namespace omnistasis::launcher
