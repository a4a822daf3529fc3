#include "stream_layout.h"

#include <stdlib.h>

namespace omnistasis::launcher {

using namespace payload;

namespace {

int by_content(const void* left, const void* right) {
    uint32_t a = static_cast<const File*>(left)->content, b = static_cast<const File*>(right)->content;
    return a < b ? -1 : a > b;
}

} // namespace

bool StreamLayout::make(const Index& index) {
    uint32_t blocks = index.block_count();
    file_count = index.file_count();
    content_count = index.content_count();
    files = static_cast<File*>(calloc(file_count + 1, sizeof(File)));
    content_start = static_cast<uint64_t*>(calloc(content_count + 1, sizeof(uint64_t)));
    block_start = static_cast<uint64_t*>(calloc(blocks + 1, sizeof(uint64_t)));
    first_file = static_cast<uint32_t*>(calloc(content_count + 2, sizeof(uint32_t)));
    if (files == nullptr || content_start == nullptr || block_start == nullptr || first_file == nullptr)
        return false;
    size_t at = 0;
    for (uint32_t i = 0; i < file_count; ++i) index.next_file(at, files[i]);
    qsort(files, file_count, sizeof(File), by_content);
    for (uint32_t i = 0; i < content_count; ++i)
        content_start[i + 1] = content_start[i] + index.content_size(i);
    for (uint32_t i = 0; i < blocks; ++i) block_start[i + 1] = block_start[i] + index.block(i).raw_size;
    for (uint32_t i = 0, file = 0; i <= content_count; ++i) {
        first_file[i] = file;
        while (file < file_count && files[file].content == i) ++file;
    }
    return true;
}

uint32_t StreamLayout::content_at(uint64_t position) const {
    uint32_t low = 0, high = content_count;
    while (low < high) {
        uint32_t middle = low + (high - low) / 2;
        if (content_start[middle + 1] <= position)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

StreamLayout::Part StreamLayout::part_of(uint32_t content, uint64_t start, uint64_t end) const {
    uint64_t from = content_start[content] > start ? content_start[content] : start;
    uint64_t to = content_start[content + 1] < end ? content_start[content + 1] : end;
    return {from - start, from - content_start[content], static_cast<size_t>(to - from)};
}

} // namespace omnistasis::launcher
