#include "tree_place_posix.h"

#include "files_posix.h"
#include "sha256.h"
#include "state_posix.h"
#include "system_posix.h"
#include "trusted_folder_posix.h"
#include "unpack_posix.h"

#include <errno.h>
#include <fcntl.h>
#include <pwd.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

namespace omnistasis::launcher {

namespace {

constexpr time_t a_day = 24 * 60 * 60, an_hour = 60 * 60;
/// A file that the application saves by replacing it stays in the tree until the next start. So a tree with
/// such files is among the user's data: caches may be cleared at any time.
constexpr int data_first = -1;
constexpr size_t longest_name = 100; ///< of the application, in the name of a tree

/// The folders that may hold our own, in order of preference (docs/payload-format.md, "Where the tree goes").
bool candidate(int number, bool keeps_files, char* base, size_t room) {
    const char* own = getenv("OMNISTASIS_CACHE");
    if (own != nullptr && own[0] == '/')
        return number == data_first && snprintf(base, room, "%s", own) < static_cast<int>(room);
    const char* value = nullptr;
    const char* tail = "";
    base[0] = 0;
    switch (number) {
    case data_first:
        if (keeps_files && !data_base(base, room)) base[0] = 0;
        return true;
    case 0:
        value = user_caches.variable == nullptr ? "" : getenv(user_caches.variable);
        if (value == nullptr || value[0] != '/') value = "";
        break;
    case 1:
        value = getenv("HOME");
        tail = user_caches.below_home;
        break;
    case 2:
        if (const passwd* user = getpwuid(geteuid())) value = user->pw_dir;
        tail = user_caches.below_home;
        break;
    case 3:
        value = "/var/tmp";
        break;
    case 4:
        value = "/tmp";
        break;
    default:
        return false;
    }
    if (value == nullptr || value[0] != '/' || value[1] == 0) return true;
    if (number >= 3)
        snprintf(base, room, "%s/omnistasis-%u", value, static_cast<unsigned>(geteuid()));
    else
        snprintf(base, room, "%s%s", value, tail);
    return true;
}

/// The application's name as it begins the names of its trees, with the dash behind it; gives its length.
size_t name_prefix(const Self& self, char* prefix) {
    size_t length = self.head.name.size < longest_name ? self.head.name.size : longest_name;
    for (size_t i = 0; i < length; ++i)
        prefix[i] = self.head.name.data[i] == '/' ? '_' : static_cast<char>(self.head.name.data[i]);
    if (prefix[0] == '.') prefix[0] = '_';
    prefix[length] = '-';
    prefix[length + 1] = 0;
    return length + 1;
}

/// <application's name>-<the first 16 bytes of the tree's id>
void name_of_tree(const Self& self, char* name) {
    size_t length = name_prefix(self, name);
    for (size_t i = 0; i < 16; ++i) snprintf(name + length + 2 * i, 3, "%02x", self.head.tree_id.data[i]);
}

/// One file of the tree beside the launcher, mapped; null where it is not the one of the index. It stays open
/// as `opened`, where that is wanted.
const uint8_t* map_checked(int tree, const payload::File& file, const payload::Index& index, bool& empty,
                           int* opened = nullptr) {
    char path[4096];
    if (!copy_place(file, path)) return nullptr;
    int descriptor = openat(tree, path, O_RDONLY | O_NOFOLLOW | O_CLOEXEC);
    if (descriptor < 0) return nullptr;
    uint64_t size = index.content_size(file.content);
    struct stat status;
    const uint8_t* bytes = nullptr;
    empty = false;
    if (fstat(descriptor, &status) == 0 && S_ISREG(status.st_mode) &&
        static_cast<uint64_t>(status.st_size) == size) {
        empty = size == 0;
        void* mapped = empty ? MAP_FAILED : mmap(nullptr, size, PROT_READ, MAP_PRIVATE, descriptor, 0);
        uint8_t digest[32];
        if (mapped != MAP_FAILED) {
            sha256(mapped, static_cast<size_t>(size), digest);
            if (memcmp(digest, index.content_hash(file.content), 32) == 0)
                bytes = static_cast<const uint8_t*>(mapped);
            else
                munmap(mapped, size);
        }
    }
    if (opened != nullptr)
        *opened = descriptor;
    else
        close(descriptor);
    return bytes;
}

/// The marker of a tree that was put there since the system started holds the tree's id and this name of the
/// system's run; it can't be told then whether all of the tree has reached the disk. In a later run what is
/// read comes from there: once all of it was found right the marker holds the id alone.
constexpr size_t id_size = 32;

bool write_marker(int marker, const Self& self) {
    char run[run_size] = {};
    read_run(run); // of an unknown run it is looked through at the next start
    return write_at(marker, self.head.tree_id.data, id_size, 0) &&
           write_at(marker, reinterpret_cast<const uint8_t*>(run), run_size, id_size);
}

/// How closely a tree is looked at before it is started from.
enum class Look : uint8_t {
    mark,   ///< at its mark alone: it was just put there
    usual,  ///< as is_complete says
    sizes,  ///< at each file's as well
    hashes, ///< at each file's as well
};

bool has_size(int tree, const payload::File& file, uint64_t size) {
    char path[4096];
    struct stat status;
    return copy_place(file, path) && fstatat(tree, path, &status, AT_SYMLINK_NOFOLLOW) == 0 &&
           S_ISREG(status.st_mode) && static_cast<uint64_t>(status.st_size) == size;
}

bool has_hash(int tree, const payload::File& file, const payload::Index& index) {
    bool empty = false;
    const uint8_t* bytes = map_checked(tree, file, index, empty);
    if (bytes != nullptr)
        munmap(const_cast<uint8_t*>(bytes), static_cast<size_t>(index.content_size(file.content)));
    return bytes != nullptr || empty;
}

/// Whether each file of the index is in the tree; else `wrong` is the first that is not.
bool has_files(const payload::Index& index, int tree, Look look, payload::File& wrong) {
    for (size_t at = 0; index.next_file(at, wrong);)
        if (!(look == Look::sizes ? has_size(tree, wrong, index.content_size(wrong.content))
                                  : has_hash(tree, wrong, index)))
            return false;
    return true;
}

/// The same of the tree that belongs to the executable.
bool has_files(const Self& self, int tree, Look look) {
    const uint8_t* mapped = map_self(self);
    if (mapped == nullptr) return false;
    payload::Index index;
    payload::File wrong;
    Failure failure;
    bool right = load_index(self, mapped, index, failure) && has_files(index, tree, look, wrong);
    munmap(const_cast<uint8_t*>(mapped), self.size);
    return right;
}

/// Whether the tree is there, complete, and made from this payload. If it is, it stays there until the marker
/// is closed: whoever takes old trees away locks it first, and unlinks it. On the first start of a day the
/// sizes of all files are looked at; who clears caches may have taken some.
bool is_complete(int cache, const char* name, const Self& self, Look look, TreePlace& place) {
    char marker[400];
    snprintf(marker, sizeof marker, "%s/%s", name, complete_marker);
    int descriptor = openat(cache, marker, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    if (descriptor < 0) return false;
    uint8_t content[id_size + run_size + 1];
    struct stat status;
    // Some network disks know no locks: there nobody takes a tree away either.
    bool is_there = flock(descriptor, LOCK_SH | LOCK_NB) == 0 || errno != EWOULDBLOCK;
    bool same = is_there && fstat(descriptor, &status) == 0 && S_ISREG(status.st_mode) && is_own(status) &&
                status.st_nlink == 1;
    ssize_t size = same ? read(descriptor, content, sizeof content) : 0;
    constexpr auto id_alone = static_cast<ssize_t>(id_size),
                   with_run = static_cast<ssize_t>(id_size + run_size);
    same = (size == id_alone || size == with_run) && memcmp(content, self.head.tree_id.data, id_size) == 0;
    if (!same) return close(descriptor), false;
    char run[run_size] = {};
    bool is_same_run = size == with_run && read_run(run) && memcmp(content + id_size, run, run_size) == 0;
    if (size == with_run && !is_same_run) look = Look::hashes;
    time_t now = time(nullptr);
    bool was_idle = status.st_mtim.tv_sec > now || now - status.st_mtim.tv_sec > a_day;
    if (was_idle && look == Look::usual) look = Look::sizes;
    if (look == Look::sizes || look == Look::hashes) {
        int tree = openat(cache, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
        bool right = tree >= 0 && has_files(self, tree, look);
        if (tree >= 0) close(tree);
        if (!right) return close(descriptor), false;
    }
    // An hour later the system has long written what it had in memory.
    bool has_settled = is_same_run && now - status.st_ctim.tv_sec > an_hour;
    if (size == with_run && (has_settled || !is_same_run)) {
        int writable = openat(cache, marker, O_WRONLY | O_NOFOLLOW | O_CLOEXEC);
        if (writable >= 0 && ftruncate(writable, id_alone) == 0) futimens(writable, nullptr);
        if (writable >= 0) close(writable);
    }
    place.marker = descriptor;
    if (was_idle) {
        place.was_idle = true;
        futimens(descriptor, nullptr);
    }
    return true;
}

bool wrong_file(const payload::File& file, const char* advice, Failure& failure) {
    failure.exit_code = exit_damaged;
    snprintf(failure.text, sizeof failure.text,
             "can't start: %.*s of the application is not what was built. %.150s",
             static_cast<int>(file.path.size < 200 ? file.path.size : 200),
             reinterpret_cast<const char*>(file.path.data), advice);
    return false;
}

/// A file that was found right is copied without its content, where the disk can do that.
bool is_cloned(int source, int tree, const payload::File& file) {
    char path[4096];
    if (!copy_place(file, path)) return false;
    if (clone_file(source, tree, path)) return true;
    return errno == ENOENT && make_folders_above(tree, path) && clone_file(source, tree, path);
}

/// Copies the tree beside the launcher, file by file as the index has them.
bool copy_tree(const Self& self, const uint8_t* mapped, const char* beside, int tree, Failure& failure) {
    payload::Index index;
    if (!load_index(self, mapped, index, failure)) return false;
    int from = open(beside, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (from < 0) return set(failure, exit_no_start, "can't open", beside, errno);
    payload::File file;
    bool done = true;
    for (size_t at = 0; done && index.next_file(at, file);) {
        bool empty = false;
        int source = -1;
        const uint8_t* bytes = map_checked(from, file, index, empty, &source);
        if (bytes == nullptr && !empty) {
            if (source >= 0) close(source);
            done = wrong_file(file, "Get it anew", failure);
            break;
        }
        auto size = static_cast<size_t>(index.content_size(file.content));
        done = is_cloned(source, tree, file);
        close(source);
        if (!done) {
            int out = open_in_tree(tree, file);
            done = out >= 0 && write_at(out, bytes, size, 0);
            if (out >= 0 && close(out) != 0) done = false;
        }
        if (!done) set(failure, exit_no_room, "can't copy the application:", "", errno);
        if (!empty) munmap(const_cast<uint8_t*>(bytes), size);
    }
    close(from);
    return done;
}

/// What the application put in the place of state in a tree that will be made anew is moved to the user's
/// data.
bool empties_well(const Self& self, int cache, const char* name) {
    struct stat status;
    if (fstatat(cache, name, &status, AT_SYMLINK_NOFOLLOW) != 0) return true;
    int tree = openat(cache, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    bool done = tree >= 0 && adopt_state(self, tree);
    if (tree >= 0) close(tree);
    return done;
}

bool put_under_lock(const Self& self, int cache, const char* name, const char* beside, Look look,
                    Failure& failure) {
    char temporary[400], lock_name[400];
    snprintf(lock_name, sizeof lock_name, ".%s.lock", name);
    snprintf(temporary, sizeof temporary, ".%s.new", name);
    int lock = open_locked(cache, lock_name, true);
    if (lock < 0) return set(failure, exit_no_room, "can't write into the cache folder:", "", errno);
    TreePlace there;
    if (is_complete(cache, name, self, look, there)) return close(there.marker), close(lock), true;

    const uint8_t* mapped = map_self(self);
    if (mapped == nullptr || !is_rest_whole(self, mapped)) {
        close(lock);
        return set(failure, exit_damaged, "can't start:", payload::text_of(payload::ReadError::damaged), 0);
    }
    if (!empties_well(self, cache, name)) {
        close(lock);
        return set(failure, exit_no_room, "can't keep what the application saved in its damaged tree", name,
                   errno);
    }
    remove_all(cache, temporary);
    remove_all(cache, name);
    bool done = false;
    int tree = mkdirat(cache, temporary, 0700) == 0
                   ? openat(cache, temporary, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC)
                   : -1;
    if (tree < 0) {
        set(failure, exit_no_room, "can't write into the cache folder:", "", errno);
    } else if (beside == nullptr ? unpack(self, mapped, tree, failure)
                                 : copy_tree(self, mapped, beside, tree, failure)) {
        int marker =
            openat(tree, complete_marker, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
        done = marker >= 0 && write_marker(marker, self);
        // As of two days ago: the first start is one after a long time.
        timespec times[2] = {{0, UTIME_OMIT}, {time(nullptr) - 2 * a_day, 0}};
        if (marker >= 0) futimens(marker, times);
        if (marker >= 0 && close(marker) != 0) done = false;
        done = done && renameat(cache, temporary, cache, name) == 0;
        if (!done) set(failure, exit_no_room, "can't write into the cache folder:", "", errno);
    }
    munmap(const_cast<uint8_t*>(mapped), self.size);
    if (tree >= 0) close(tree);
    if (!done) remove_all(cache, temporary);
    close(lock);
    return done;
}

} // namespace

bool is_tree_name(const Self& self, const char* name) {
    char prefix[longest_name + 2];
    size_t length = name_prefix(self, prefix);
    return strncmp(name, prefix, length) == 0 && strlen(name) == length + 32 &&
           strspn(name + length, "0123456789abcdef") == 32;
}

bool find_beside(const Self& self, TreePlace& place, Failure& failure) {
    char* tree = place.path;
    place.in_cache = false;
    if (!executable_path(tree, sizeof place.path) ||
        strlen(tree) + self.head.tree_folder.size + 2 > sizeof place.path)
        return set(failure, exit_no_start, "can't tell where the application is", "", 0);
    char* end = strrchr(tree, '/');
    const auto* folder = reinterpret_cast<const char*>(self.head.tree_folder.data);
    size_t size = self.head.tree_folder.size;
    // Upwards first: a launcher inside the tree, or beside the folder that holds it.
    while (size >= 2 && memcmp(folder, "..", 2) == 0) {
        *end = 0;
        char* above = strrchr(tree, '/');
        end = above == nullptr ? tree : above;
        size_t step = size > 2 ? sizeof "../" - 1 : 2;
        folder += step;
        size -= step;
    }
    if (size > 0) *end++ = '/';
    memcpy(end, folder, size);
    end[size] = 0;
    return true;
}

bool check_tree(const Self& self, const TreePlace& place, Failure& failure) {
    const uint8_t* mapped = map_self(self);
    if (mapped == nullptr || !is_rest_whole(self, mapped))
        return set(failure, exit_damaged, "can't start:", payload::text_of(payload::ReadError::damaged), 0);
    payload::Index index;
    // A launcher inside the tree has none: the one in front of the tree does.
    if (self.head.index_hash.size == 0) return true;
    if (!load_index(self, mapped, index, failure)) return false;
    char advice[300];
    snprintf(advice, sizeof advice, place.in_cache ? "Remove %.200s, and it is unpacked anew" : "Get it anew",
             place.path);
    int tree = open(place.path, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    payload::File wrong;
    bool right = has_files(index, tree, Look::hashes, wrong) || wrong_file(wrong, advice, failure);
    if (tree >= 0) close(tree);
    return right;
}

namespace {

bool provide(const Self& self, const char* beside, Look look, TreePlace& place, Failure& failure) {
    char name[256] = {};
    name_of_tree(self, name);
    char base[4096], real[4096];
    char tried[400] = {};
    bool has_files_as_state = keeps_files(self.head);
    for (int number = data_first; candidate(number, has_files_as_state, base, sizeof base); ++number) {
        if (base[0] == 0) continue;
        int base_folder = open_trusted_folder(base, true, real, sizeof real);
        int cache = base_folder < 0 ? -1 : open_private_folder(base_folder, "omnistasis");
        int reason = cache < 0 ? errno : 0;
        if (base_folder >= 0) close(base_folder);
        bool may_execute = cache >= 0 && may_start_from(cache);
        if (cache >= 0 && may_execute) {
            // Between the two somebody may take the tree away again, as an old one.
            bool there = is_complete(cache, name, self, look, place);
            for (int attempt = 0; !there && attempt < 3; ++attempt)
                there = put_under_lock(self, cache, name, beside, look, failure) &&
                        is_complete(cache, name, self, Look::mark, place);
            close(cache);
            place.in_cache = true;
            if (there)
                return snprintf(place.path, sizeof place.path, "%s/omnistasis/%s", real, name) <
                       static_cast<int>(sizeof place.path);
            if (failure.exit_code == exit_damaged) return false;
        } else {
            if (cache >= 0) close(cache);
            size_t used = strlen(tried);
            const char* comma = used > 0 ? ", " : "";
            if (cache < 0 && reason == EPERM)
                snprintf(tried + used, sizeof tried - used,
                         base_folder < 0 ? "%s%.200s (%.200s is not the user's own, or others can write it)"
                                         : "%s%.200s/omnistasis (it is not the user's own)",
                         comma, base, real);
            else
                snprintf(tried + used, sizeof tried - used, "%s%.200s/omnistasis (%s)", comma, base,
                         cache >= 0 ? "programs may not be started from there" : strerror(reason));
        }
    }
    if (failure.exit_code == 0) {
        failure.exit_code = exit_no_room;
        snprintf(failure.text, sizeof failure.text,
                 "no folder to unpack into; tried %s. Set OMNISTASIS_CACHE to a folder that can be written "
                 "and where programs may be started",
                 tried[0] ? tried : "nothing: HOME is not set");
    }
    return false;
}

} // namespace

bool provide_in_cache(const Self& self, const char* beside, TreePlace& place, Failure& failure) {
    return provide(self, beside, Look::usual, place, failure);
}

bool repair_in_cache(const Self& self, const char* beside, TreePlace& place, Failure& failure) {
    int tree = open(place.path, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    bool is_right = tree >= 0 && has_files(self, tree, Look::hashes);
    if (tree >= 0) close(tree);
    if (is_right) return false;
    // Whoever takes the tree away waits for nobody else than us.
    if (place.marker >= 0) close(place.marker);
    place.marker = -1;
    return provide(self, beside, Look::hashes, place, failure);
}

} // namespace omnistasis::launcher
