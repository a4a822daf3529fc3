#include "unpack_windows.h"

#include "files_windows.h"
#include "stream_layout.h"

#include <stdlib.h>
#include <zstd.h>

namespace omnistasis::launcher {

using namespace payload;

namespace {

constexpr unsigned most_threads = 16;

struct Job {
    const Self* self = nullptr;
    const Index* index = nullptr;
    StreamLayout layout;
    const wchar_t* tree = nullptr;
    volatile LONG next_block = 0;
    volatile LONG error_number = 0;
    volatile LONG error = static_cast<LONG>(ReadError::none);
};

bool write_content(const Job& job, uint32_t number, const uint8_t* raw, uint64_t start, uint64_t end) {
    const StreamLayout& layout = job.layout;
    StreamLayout::Part part = layout.part_of(number, start, end);
    for (uint32_t i = layout.first_file[number]; i < layout.first_file[number + 1]; ++i) {
        HANDLE file = open_in_tree(job.tree, layout.files[i]);
        if (file == INVALID_HANDLE_VALUE) return false;
        bool written = write_at(file, raw + part.in_stretch, part.size, part.in_content);
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
        uint64_t start = job.layout.block_start[number], end = start + block.raw_size;
        for (uint32_t content = job.layout.content_at(start);
             content < job.layout.content_count && job.layout.content_start[content] < end; ++content)
            if (!write_content(job, content, raw, start, end)) {
                job.error_number = static_cast<LONG>(GetLastError());
                break;
            }
    }
    ZSTD_freeDCtx(context);
    free(raw);
    return 0;
}

} // namespace

bool unpack(const Self& self, const wchar_t* tree, Failure& failure) {
    Index index;
    if (!load_index(self, index, failure)) return false;
    Job job;
    job.self = &self;
    job.index = &index;
    job.tree = tree;
    if (!job.layout.make(index)) return set(failure, exit_no_room, L"there is not enough memory", L"", 0);
    // Empty files are in no block.
    for (uint32_t i = 0; i < job.layout.file_count; ++i) {
        const File& empty = job.layout.files[i];
        if (index.content_size(empty.content) > 0) continue;
        HANDLE file = open_in_tree(tree, empty);
        if (file == INVALID_HANDLE_VALUE)
            return set(failure, exit_no_room, L"can't unpack the application", L"", GetLastError());
        CloseHandle(file);
    }
    SYSTEM_INFO system;
    GetSystemInfo(&system);
    unsigned wanted =
        system.dwNumberOfProcessors < 1 ? 1 : static_cast<unsigned>(system.dwNumberOfProcessors);
    if (wanted > most_threads) wanted = most_threads;
    if (wanted > index.block_count()) wanted = index.block_count();
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
