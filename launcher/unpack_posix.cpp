#include "unpack_posix.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <pwd.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>
#include <zstd.h>

namespace omnistasis::launcher {

using namespace payload;

namespace {

constexpr unsigned most_threads = 16;
constexpr const char* complete_marker = ".complete";

void set(Failure& failure, int code, const char* what, const char* where, int error_number) {
    failure.exit_code = code;
    if (error_number != 0)
        snprintf(failure.text, sizeof failure.text, "%s %s: %s", what, where, strerror(error_number));
    else
        snprintf(failure.text, sizeof failure.text, "%s %s", what, where);
}

// --- where the tree goes
// ----------------------------------------------------------------------------------------

/// Owned by the user, and not writable for others; sets errno where it is not.
bool is_private(int descriptor) {
    struct stat status;
    bool mine = fstat(descriptor, &status) == 0 && status.st_uid == geteuid() && (status.st_mode & 022) == 0;
    if (!mine) errno = EPERM;
    return mine;
}

/// Opens a folder of the user's own, made where it is missing: no link, nobody else's, not writable for
/// others. -1 with errno where it is not such.
int open_private_folder(int parent, const char* name) {
    if (mkdirat(parent, name, 0700) != 0 && errno != EEXIST) return -1;
    int folder = openat(parent, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    if (folder < 0) return -1;
    if (is_private(folder)) return folder;
    close(folder);
    errno = EPERM;
    return -1;
}

/// Makes `path` and the folders above it; those that exist are left as they are.
void make_folders(char* path) {
    for (char* slash = strchr(path + 1, '/'); slash != nullptr; slash = strchr(slash + 1, '/')) {
        *slash = 0;
        mkdir(path, 0700);
        *slash = '/';
    }
    mkdir(path, 0700);
}

/// The folders that may hold our own, in order of preference (docs/payload-format.md, "Where the tree goes").
bool candidate(int number, char* base, size_t room) {
    const char* own = getenv("OMNISTASIS_CACHE");
    if (own != nullptr && own[0] == '/')
        return number == 0 && snprintf(base, room, "%s", own) < static_cast<int>(room);
    const char* value = nullptr;
    const char* tail = "";
    switch (number) {
    case 0:
        value = getenv("XDG_CACHE_HOME");
        if (value == nullptr || value[0] != '/') value = "";
        break;
    case 1:
        value = getenv("HOME");
        tail = "/.cache";
        break;
    case 2:
        if (const passwd* user = getpwuid(geteuid())) value = user->pw_dir;
        tail = "/.cache";
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
    base[0] = 0;
    if (value == nullptr || value[0] != '/' || value[1] == 0) return true;
    if (number >= 3)
        snprintf(base, room, "%s/omnistasis-%u", value, static_cast<unsigned>(geteuid()));
    else
        snprintf(base, room, "%s%s", value, tail);
    return true;
}

// --- unpacking
// --------------------------------------------------------------------------------------------------

struct Job {
    const uint8_t* mapped = nullptr; ///< the whole executable
    const Index* index = nullptr;
    const File* files = nullptr;       ///< by content number
    uint64_t* content_start = nullptr; ///< in the stream of contents; one more entry than contents
    uint64_t* block_start = nullptr;
    uint32_t* first_file = nullptr; ///< of each content; one more entry than contents
    int tree = -1;
    uint32_t next_block = 0;
    int error_number = 0;
    ReadError error = ReadError::none;
};

int open_in_tree(int tree, const File& file) {
    char path[4096];
    if (file.path.size >= sizeof path) {
        errno = ENAMETOOLONG;
        return -1;
    }
    memcpy(path, file.path.data, file.path.size);
    path[file.path.size] = 0;
    int flags = O_WRONLY | O_CREAT | O_NOFOLLOW | O_CLOEXEC;
    unsigned mode = (file.mode & 0111) != 0 ? 0700 : 0600;
    int descriptor = openat(tree, path, flags, mode);
    if (descriptor >= 0 || errno != ENOENT) return descriptor;
    for (char* slash = strchr(path, '/'); slash != nullptr; slash = strchr(slash + 1, '/')) {
        *slash = 0;
        if (mkdirat(tree, path, 0700) != 0 && errno != EEXIST) return -1;
        *slash = '/';
    }
    return openat(tree, path, flags, mode);
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

/// Writes the part of content `number` that a block holds into each file that has this content.
bool write_content(const Job& job, uint32_t number, const uint8_t* raw, uint64_t start, uint64_t end) {
    uint64_t from = job.content_start[number] > start ? job.content_start[number] : start;
    uint64_t to = job.content_start[number + 1] < end ? job.content_start[number + 1] : end;
    for (uint32_t i = job.first_file[number]; i < job.first_file[number + 1]; ++i) {
        int descriptor = open_in_tree(job.tree, job.files[i]);
        if (descriptor < 0) return false;
        bool written = write_at(descriptor, raw + (from - start), static_cast<size_t>(to - from),
                                from - job.content_start[number]);
        int reason = errno;
        if (close(descriptor) != 0 || !written) {
            if (!written) errno = reason;
            return false;
        }
    }
    return true;
}

/// The first content that ends behind `position`.
uint32_t content_at(const Job& job, uint64_t position) {
    uint32_t low = 0, high = job.index->content_count();
    while (low < high) {
        uint32_t middle = low + (high - low) / 2;
        if (job.content_start[middle + 1] <= position)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

void* unpack_blocks(void* argument) {
    Job& job = *static_cast<Job*>(argument);
    uint8_t* raw = nullptr;
    size_t room = 0;
    ZSTD_DCtx* context = ZSTD_createDCtx();
    for (;;) {
        uint32_t number = __atomic_fetch_add(&job.next_block, 1, __ATOMIC_RELAXED);
        if (number >= job.index->block_count() || __atomic_load_n(&job.error_number, __ATOMIC_RELAXED) != 0 ||
            __atomic_load_n(&job.error, __ATOMIC_RELAXED) != ReadError::none)
            break;
        Block block = job.index->block(number);
        if (block.raw_size > room) {
            free(raw);
            room = block.raw_size;
            raw = static_cast<uint8_t*>(malloc(room));
        }
        if (raw == nullptr || context == nullptr) {
            __atomic_store_n(&job.error_number, ENOMEM, __ATOMIC_RELAXED);
            break;
        }
        if (ReadError error = unpack_block(job.mapped + block.offset, block, raw, context);
            error != ReadError::none) {
            __atomic_store_n(&job.error, error, __ATOMIC_RELAXED);
            break;
        }
        uint64_t start = job.block_start[number], end = start + block.raw_size;
        for (uint32_t content = content_at(job, start);
             content < job.index->content_count() && job.content_start[content] < end; ++content)
            if (!write_content(job, content, raw, start, end)) {
                __atomic_store_n(&job.error_number, errno, __ATOMIC_RELAXED);
                break;
            }
    }
    ZSTD_freeDCtx(context);
    free(raw);
    return nullptr;
}

int by_content(const void* left, const void* right) {
    uint32_t a = static_cast<const File*>(left)->content, b = static_cast<const File*>(right)->content;
    return a < b ? -1 : a > b;
}

/// Unpacks all into the open folder `tree`.
bool unpack(const Self& self, const uint8_t* mapped, int tree, Failure& failure) {
    ReadError error = ReadError::none;
    auto damaged = [&] {
        set(failure, exit_damaged, text_of(error), "", 0);
        return false;
    };
    auto* raw_index = static_cast<uint8_t*>(malloc(self.trailer.index_raw + 1));
    Index index;
    if (raw_index == nullptr) return set(failure, exit_no_room, "not enough memory to unpack", "", 0), false;
    error = unpack_index({mapped + self.trailer.index_offset, static_cast<size_t>(self.trailer.index_stored)},
                         self.trailer, self.head, raw_index);
    if (error == ReadError::none)
        error = index.open({raw_index, static_cast<size_t>(self.trailer.index_raw)}, self.trailer);
    if (error != ReadError::none) return damaged();

    uint32_t contents = index.content_count(), blocks = index.block_count(), count = index.file_count();
    auto* files = static_cast<File*>(calloc(count + 1, sizeof(File)));
    Job job;
    job.mapped = mapped;
    job.index = &index;
    job.files = files;
    job.tree = tree;
    job.content_start = static_cast<uint64_t*>(calloc(contents + 1, sizeof(uint64_t)));
    job.block_start = static_cast<uint64_t*>(calloc(blocks + 1, sizeof(uint64_t)));
    job.first_file = static_cast<uint32_t*>(calloc(contents + 2, sizeof(uint32_t)));
    if (files == nullptr || job.content_start == nullptr || job.block_start == nullptr ||
        job.first_file == nullptr)
        return set(failure, exit_no_room, "not enough memory to unpack", "", 0), false;
    size_t at = 0;
    for (uint32_t i = 0; i < count; ++i) index.next_file(at, files[i]);
    qsort(files, count, sizeof(File), by_content);
    for (uint32_t i = 0; i < contents; ++i)
        job.content_start[i + 1] = job.content_start[i] + index.content_size(i);
    for (uint32_t i = 0; i < blocks; ++i)
        job.block_start[i + 1] = job.block_start[i] + index.block(i).raw_size;
    for (uint32_t i = 0, file = 0; i <= contents; ++i) {
        job.first_file[i] = file;
        while (file < count && files[file].content == i) ++file;
    }
    // Empty files are in no block.
    for (uint32_t i = 0; i < count; ++i) {
        if (index.content_size(files[i].content) > 0) continue;
        int descriptor = open_in_tree(tree, files[i]);
        if (descriptor < 0)
            return set(failure, exit_no_room, "can't unpack the application:", "", errno), false;
        close(descriptor);
    }

    long cores = sysconf(_SC_NPROCESSORS_ONLN);
    unsigned wanted = cores < 1 ? 1 : static_cast<unsigned>(cores);
    if (wanted > most_threads) wanted = most_threads;
    if (wanted > blocks) wanted = blocks;
    pthread_t threads[most_threads];
    unsigned started = 0;
    for (; started + 1 < wanted; ++started)
        if (pthread_create(&threads[started], nullptr, unpack_blocks, &job) != 0) break;
    unpack_blocks(&job);
    for (unsigned i = 0; i < started; ++i) pthread_join(threads[i], nullptr);
    error = job.error;
    if (error != ReadError::none) return damaged();
    if (job.error_number != 0)
        return set(failure, exit_no_room, "can't unpack the application:", "", job.error_number), false;
    return true;
}

/// Removes what an interrupted start left: a folder with everything in it.
void remove_folder(int parent, const char* name, int depth = 0) {
    int folder = openat(parent, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    if (folder >= 0 && depth < 200) {
        if (DIR* stream = fdopendir(folder)) {
            while (dirent* entry = readdir(stream)) {
                if (strcmp(entry->d_name, ".") == 0 || strcmp(entry->d_name, "..") == 0) continue;
                if (unlinkat(folder, entry->d_name, 0) != 0) remove_folder(folder, entry->d_name, depth + 1);
            }
            closedir(stream);
        } else {
            close(folder);
        }
    }
    unlinkat(parent, name, AT_REMOVEDIR);
}

/// Whether the tree is there, complete, and made from this payload.
bool is_complete(int cache, const char* name, const Self& self) {
    char marker[400];
    snprintf(marker, sizeof marker, "%s/%s", name, complete_marker);
    int descriptor = openat(cache, marker, O_RDONLY | O_NOFOLLOW | O_CLOEXEC);
    if (descriptor < 0) return false;
    uint8_t id[33];
    bool same = is_private(descriptor) && read(descriptor, id, sizeof id) == 32 &&
                memcmp(id, self.head.tree_id.data, 32) == 0;
    close(descriptor);
    return same;
}

bool unpack_under_lock(const Self& self, int cache, const char* name, Failure& failure) {
    char temporary[400], lock_name[400];
    snprintf(lock_name, sizeof lock_name, ".%s.lock", name);
    snprintf(temporary, sizeof temporary, ".%s.new", name);
    int lock = openat(cache, lock_name, O_RDWR | O_CREAT | O_NOFOLLOW | O_CLOEXEC, 0600);
    if (lock < 0) return set(failure, exit_no_room, "can't write into the cache folder:", "", errno), false;
    while (flock(lock, LOCK_EX) != 0 && errno == EINTR) {
    }
    if (is_complete(cache, name, self)) return close(lock), true;

    remove_folder(cache, temporary);
    remove_folder(cache, name);
    bool done = false;
    void* mapped = mmap(nullptr, self.size, PROT_READ, MAP_PRIVATE, self.descriptor, 0);
    int tree = mkdirat(cache, temporary, 0700) == 0
                   ? openat(cache, temporary, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC)
                   : -1;
    if (mapped == MAP_FAILED || tree < 0) {
        set(failure, exit_no_room, "can't write into the cache folder:", "", errno);
    } else if (unpack(self, static_cast<const uint8_t*>(mapped), tree, failure)) {
        int marker =
            openat(tree, complete_marker, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
        done = marker >= 0 && write_at(marker, self.head.tree_id.data, 32, 0);
        if (marker >= 0 && close(marker) != 0) done = false;
        done = done && renameat(cache, temporary, cache, name) == 0;
        if (!done) set(failure, exit_no_room, "can't write into the cache folder:", "", errno);
    }
    if (mapped != MAP_FAILED) munmap(mapped, self.size);
    if (tree >= 0) close(tree);
    if (!done) remove_folder(cache, temporary);
    close(lock);
    return done;
}

/// <application's name>-<the first 16 bytes of the tree's id>
void name_of_tree(const Self& self, char* name, size_t room) {
    size_t length = self.head.name.size < 100 ? self.head.name.size : 100;
    if (room < length + 40) return;
    for (size_t i = 0; i < length; ++i)
        name[i] = self.head.name.data[i] == '/' ? '_' : static_cast<char>(self.head.name.data[i]);
    if (length > 0 && name[0] == '.') name[0] = '_';
    name[length] = '-';
    for (int i = 0; i < 16; ++i) snprintf(name + length + 1 + 2 * i, 3, "%02x", self.head.tree_id.data[i]);
}

} // namespace

bool provide_tree(const Self& self, char* tree, size_t room, Failure& failure) {
    char name[256] = {};
    name_of_tree(self, name, sizeof name);
    char base[4096];
    char tried[400] = {};
    for (int number = 0; candidate(number, base, sizeof base); ++number) {
        if (base[0] == 0) continue;
        make_folders(base);
        int reason = 0;
        int base_folder = open(base, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
        // Below the folders for temporary files anybody could have made ours.
        if (base_folder >= 0 && number >= 3 && !is_private(base_folder)) {
            close(base_folder);
            base_folder = -1;
        }
        int cache = base_folder < 0 ? -1 : open_private_folder(base_folder, "omnistasis");
        if (cache < 0) reason = errno;
        if (base_folder >= 0) close(base_folder);
        struct statvfs system;
        bool may_execute = cache >= 0 && (fstatvfs(cache, &system) != 0 || (system.f_flag & ST_NOEXEC) == 0);
        if (cache >= 0 && may_execute) {
            bool there = is_complete(cache, name, self) || unpack_under_lock(self, cache, name, failure);
            close(cache);
            if (there) return snprintf(tree, room, "%s/omnistasis/%s", base, name) < static_cast<int>(room);
            if (failure.exit_code == exit_damaged) return false;
        } else {
            if (cache >= 0) close(cache);
            const char* why = cache >= 0        ? "programs may not be started from there"
                              : reason == EPERM ? "it is not the user's own"
                                                : strerror(reason);
            size_t used = strlen(tried);
            snprintf(tried + used, sizeof tried - used, "%s%.200s/omnistasis (%s)", used ? ", " : "", base,
                     why);
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

} // namespace omnistasis::launcher
