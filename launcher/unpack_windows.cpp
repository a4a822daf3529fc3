#include "unpack_windows.h"

#include "files_windows.h"

#include <stdlib.h>
#include <zstd.h>

namespace omnistasis::launcher {

using namespace payload;

namespace {

constexpr unsigned most_threads = 16;

struct Job {
    const Self* self = nullptr;
    const Index* index = nullptr;
    const File* files = nullptr;       ///< by content number
    uint64_t* content_start = nullptr; ///< in the stream of contents; one more entry than contents
    uint64_t* block_start = nullptr;
    uint32_t* first_file = nullptr; ///< of each content; one more entry than contents
    const wchar_t* tree = nullptr;
    volatile LONG next_block = 0;
    volatile LONG error_number = 0;
    volatile LONG error = static_cast<LONG>(ReadError::none);
};

bool write_content(const Job& job, uint32_t number, const uint8_t* raw, uint64_t start, uint64_t end) {
    uint64_t from = job.content_start[number] > start ? job.content_start[number] : start;
    uint64_t to = job.content_start[number + 1] < end ? job.content_start[number + 1] : end;
    for (uint32_t i = job.first_file[number]; i < job.first_file[number + 1]; ++i) {
        HANDLE file = open_in_tree(job.tree, job.files[i]);
        if (file == INVALID_HANDLE_VALUE) return false;
        bool written = write_at(file, raw + (from - start), static_cast<size_t>(to - from),
                                from - job.content_start[number]);
        DWORD reason = GetLastError();
        CloseHandle(file);
        SetLastError(reason);
        if (!written) return false;
    }
    return true;
}

DWORD WINAPI unpack_blocks(void* argument) {
    Job& job = *static_cast<Job*>(argument);
    auto* raw = static_cast<uint8_t*>(malloc(largest_block));
    ZSTD_DCtx* context = ZSTD_createDCtx();
    if (raw == nullptr || context == nullptr) job.error_number = ERROR_OUTOFMEMORY;
    while (job.error_number == 0 && job.error == static_cast<LONG>(ReadError::none)) {
        auto number = static_cast<uint32_t>(InterlockedIncrement(&job.next_block) - 1);
        if (number >= job.index->block_count()) break;
        Block block = job.index->block(number);
        if (ReadError error = unpack_block(job.self->bytes + block.offset, block, raw, context);
            error != ReadError::none) {
            job.error = static_cast<LONG>(error);
            break;
        }
        uint64_t start = job.block_start[number], end = start + block.raw_size;
        uint32_t low = 0, high = job.index->content_count();
        while (low < high) {
            uint32_t middle = low + (high - low) / 2;
            if (job.content_start[middle + 1] <= start)
                low = middle + 1;
            else
                high = middle;
        }
        for (uint32_t content = low; content < job.index->content_count() && job.content_start[content] < end;
             ++content)
            if (!write_content(job, content, raw, start, end)) {
                job.error_number = static_cast<LONG>(GetLastError());
                break;
            }
    }
    ZSTD_freeDCtx(context);
    free(raw);
    return 0;
}

int by_content(const void* left, const void* right) {
    uint32_t a = static_cast<const File*>(left)->content, b = static_cast<const File*>(right)->content;
    return a < b ? -1 : a > b;
}

} // namespace

bool unpack(const Self& self, const wchar_t* tree, Failure& failure) {
    Index index;
    if (!load_index(self, index, failure)) return false;
    uint32_t contents = index.content_count(), blocks = index.block_count(), count = index.file_count();
    auto* files = static_cast<File*>(calloc(count + 1, sizeof(File)));
    Job job;
    job.self = &self;
    job.index = &index;
    job.files = files;
    job.tree = tree;
    job.content_start = static_cast<uint64_t*>(calloc(contents + 1, sizeof(uint64_t)));
    job.block_start = static_cast<uint64_t*>(calloc(blocks + 1, sizeof(uint64_t)));
    job.first_file = static_cast<uint32_t*>(calloc(contents + 2, sizeof(uint32_t)));
    if (files == nullptr || job.content_start == nullptr || job.block_start == nullptr ||
        job.first_file == nullptr)
        return set(failure, exit_no_room, L"there is not enough memory", L"", 0);
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
        HANDLE file = open_in_tree(tree, files[i]);
        if (file == INVALID_HANDLE_VALUE)
            return set(failure, exit_no_room, L"can't unpack the application", L"", GetLastError());
        CloseHandle(file);
    }
    SYSTEM_INFO system;
    GetSystemInfo(&system);
    unsigned wanted =
        system.dwNumberOfProcessors < 1 ? 1 : static_cast<unsigned>(system.dwNumberOfProcessors);
    if (wanted > most_threads) wanted = most_threads;
    if (wanted > blocks) wanted = blocks;
    HANDLE threads[most_threads];
    unsigned started = 0;
    for (; started + 1 < wanted; ++started)
        if ((threads[started] = CreateThread(nullptr, 0, unpack_blocks, &job, 0, nullptr)) == nullptr) break;
    unpack_blocks(&job);
    for (unsigned i = 0; i < started; ++i) WaitForSingleObject(threads[i], INFINITE);
    if (job.error != static_cast<LONG>(ReadError::none))
        return set(failure, static_cast<ReadError>(job.error));
    if (job.error_number != 0)
        return set(failure, exit_no_room, L"can't unpack the application", L"",
                   static_cast<DWORD>(job.error_number));
    return true;
}

} // namespace omnistasis::launcher
