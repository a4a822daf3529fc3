#include "unpack_posix.h"

#include "files_posix.h"
#include "stream_layout.h"

#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>
#include <zstd.h>

namespace omnistasis::launcher {

using namespace payload;

namespace {

constexpr unsigned most_threads = 16;

struct Job {
    const uint8_t* mapped = nullptr; ///< the whole executable
    const Index* index = nullptr;
    StreamLayout layout;
    int tree = -1;
    uint32_t next_block = 0;
    int error_number = 0;
    ReadError error = ReadError::none;

    ReadError found() const {
        ReadError result;
        __atomic_load(&error, &result, __ATOMIC_RELAXED);
        return result;
    }
};

/// Writes the part of content `number` that a block holds into each file that has this content.
bool write_content(const Job& job, uint32_t number, const uint8_t* raw, uint64_t start, uint64_t end) {
    const StreamLayout& layout = job.layout;
    StreamLayout::Part part = layout.part_of(number, start, end);
    for (uint32_t i = layout.first_file[number]; i < layout.first_file[number + 1]; ++i) {
        int descriptor = open_in_tree(job.tree, layout.files[i]);
        if (descriptor < 0) return false;
        bool written = write_at(descriptor, raw + part.in_stretch, part.size, part.in_content);
        int reason = errno;
        if (close(descriptor) != 0 || !written) {
            if (!written) errno = reason;
            return false;
        }
    }
    return true;
}

void* unpack_blocks(void* argument) {
    Job& job = *static_cast<Job*>(argument);
    uint8_t* raw = nullptr;
    size_t room = 0;
    ZSTD_DCtx* context = ZSTD_createDCtx();
    for (;;) {
        uint32_t number = __atomic_fetch_add(&job.next_block, 1, __ATOMIC_RELAXED);
        if (number >= job.index->block_count() || __atomic_load_n(&job.error_number, __ATOMIC_RELAXED) != 0 ||
            job.found() != ReadError::none)
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
            __atomic_store(&job.error, &error, __ATOMIC_RELAXED);
            break;
        }
        uint64_t start = job.layout.block_start[number], end = start + block.raw_size;
        for (uint32_t content = job.layout.content_at(start);
             content < job.layout.content_count && job.layout.content_start[content] < end; ++content)
            if (!write_content(job, content, raw, start, end)) {
                __atomic_store_n(&job.error_number, errno, __ATOMIC_RELAXED);
                break;
            }
    }
    ZSTD_freeDCtx(context);
    free(raw);
    return nullptr;
}

} // namespace

bool copy_place(const File& file, char (&place)[4096]) {
    if (file.path.size >= sizeof place) return errno = ENAMETOOLONG, false;
    memcpy(place, file.path.data, file.path.size);
    place[file.path.size] = 0;
    return true;
}

int open_in_tree(int tree, const File& file) {
    char path[4096];
    if (!copy_place(file, path)) return -1;
    int flags = O_WRONLY | O_CREAT | O_NOFOLLOW | O_CLOEXEC;
    unsigned mode = (file.mode & 0111) != 0 ? 0700 : 0600;
    int descriptor = openat(tree, path, flags, mode);
    if (descriptor >= 0 || errno != ENOENT) return descriptor;
    if (!make_folders_above(tree, path)) return -1;
    return openat(tree, path, flags, mode);
}

bool unpack(const Self& self, const uint8_t* mapped, int tree, Failure& failure) {
    Index index;
    if (!load_index(self, mapped, index, failure)) return false;
    Job job;
    job.mapped = mapped;
    job.index = &index;
    job.tree = tree;
    if (!job.layout.make(index)) return set(failure, exit_no_room, "there is not enough memory", "", 0);
    // Empty files are in no block.
    for (uint32_t i = 0; i < job.layout.file_count; ++i) {
        const File& empty = job.layout.files[i];
        if (index.content_size(empty.content) > 0) continue;
        int descriptor = open_in_tree(tree, empty);
        if (descriptor < 0) return set(failure, exit_no_room, "can't unpack the application:", "", errno);
        close(descriptor);
    }

    long cores = sysconf(_SC_NPROCESSORS_ONLN);
    unsigned wanted = cores < 1 ? 1 : static_cast<unsigned>(cores);
    if (wanted > most_threads) wanted = most_threads;
    if (wanted > index.block_count()) wanted = index.block_count();
    pthread_t threads[most_threads];
    unsigned started = 0;
    for (; started + 1 < wanted; ++started)
        if (pthread_create(&threads[started], nullptr, unpack_blocks, &job) != 0) break;
    unpack_blocks(&job);
    for (unsigned i = 0; i < started; ++i) pthread_join(threads[i], nullptr);
    if (job.error != ReadError::none)
        return set(failure, exit_damaged, "can't start:", text_of(job.error), 0);
    if (job.error_number != 0)
        return set(failure, exit_no_room, "can't unpack the application:", "", job.error_number);
    return true;
}

} // namespace omnistasis::launcher
