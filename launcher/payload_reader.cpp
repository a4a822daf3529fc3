#include "payload_reader.h"

#include "code_filter.h"
#include "sha256.h"

#include <string.h>
#include <zstd.h>

namespace omnistasis::payload {

namespace {

uint64_t number(const uint8_t* at, int width) {
    uint64_t value = 0;
    for (int i = width; i-- > 0;) value = value << 8 | at[i];
    return value;
}

bool same_hash(Bytes bytes, const uint8_t* expected, size_t length = 32) {
    uint8_t digest[32];
    launcher::sha256(bytes.data, bytes.size, digest);
    return memcmp(digest, expected, length) == 0;
}

bool read_parts_place(Bytes value, const Trailer& trailer, PartsPlace& parts) {
    if (value.size != parts_record) return false;
    uint64_t offset = number(value.data, 8);
    parts = {trailer.payload_offset + offset, number(value.data + 8, 8), number(value.data + 16, 8),
             value.data + 24};
    return offset <= trailer.payload_size && parts.stored <= trailer.payload_size - offset &&
           parts.raw <= largest_index;
}

/// Kind, place in the tree and path in the data folder, again and again; neither leads out.
bool is_whole_state(Bytes state) {
    size_t texts = 0, start = 0;
    for (size_t i = 0; i < state.size; ++i) {
        if (state.data[i] != 0) continue;
        if (texts % 3 != 0 && !is_safe_path({state.data + start, i - start})) return false;
        ++texts;
        start = i + 1;
    }
    return start == state.size && texts % 3 == 0;
}

} // namespace

bool is_safe_path(Bytes path) {
    if (path.size == 0 || path.data[path.size - 1] == '/') return false;
    size_t start = 0;
    for (size_t i = 0; i <= path.size; ++i) {
        if (i < path.size && path.data[i] == 0) return false;
        if (i < path.size && path.data[i] != '/') continue;
        size_t length = i - start;
        if (length == 0 || (length == 1 && path.data[start] == '.') ||
            (length == 2 && path.data[start] == '.' && path.data[start + 1] == '.'))
            return false;
        start = i + 1;
    }
    return true;
}

const char* text_of(ReadError error) {
    switch (error) {
    case ReadError::none:
        return "nothing is wrong";
    case ReadError::no_payload:
        return "the file does not end as a complete application does: it was cut off or changed";
    case ReadError::newer_format:
        return "the file was made by a newer version, in a format that this part does not know";
    case ReadError::cut_off:
        return "the file is shorter than it says: the download or copy is not complete";
    case ReadError::damaged:
        return "the file is damaged: its content does not fit its checksums";
    }
    return "";
}

ReadError read_trailer(const uint8_t* bytes, uint64_t file_size, Trailer& trailer) {
    if (memcmp(bytes, trailer_magic, sizeof trailer_magic) != 0) return ReadError::no_payload;
    if (!same_hash({bytes, trailer_own_hash}, bytes + trailer_own_hash, 8)) return ReadError::damaged;
    if (number(bytes + trailer_version, 4) != format_version) return ReadError::newer_format;
    trailer.payload_offset = number(bytes + trailer_payload_offset, 8);
    trailer.payload_size = number(bytes + trailer_payload_size, 8);
    trailer.head_offset = number(bytes + trailer_head_offset, 8);
    trailer.head_size = number(bytes + trailer_head_size, 8);
    trailer.index_offset = number(bytes + trailer_index_offset, 8);
    trailer.index_stored = number(bytes + trailer_index_stored, 8);
    trailer.index_raw = number(bytes + trailer_index_raw, 8);
    memcpy(trailer.head_hash, bytes + trailer_head_hash, 32);
    uint64_t size = trailer.payload_size;
    if (trailer.payload_offset > file_size || size != file_size - trailer.payload_offset)
        return ReadError::cut_off;
    bool fits = trailer.head_offset <= size && trailer.head_size <= size - trailer.head_offset &&
                trailer.index_offset <= size && trailer.index_stored <= size - trailer.index_offset &&
                trailer.head_size <= largest_head && trailer.index_raw <= largest_index &&
                trailer.index_raw <= smallest_index_bound + trailer.index_stored * most_times_smaller;
    if (!fits) return ReadError::damaged;
    trailer.head_offset += trailer.payload_offset;
    trailer.index_offset += trailer.payload_offset;
    return ReadError::none;
}

ReadError read_head(Bytes bytes, const Trailer& trailer, Head& head) {
    if (bytes.size != trailer.head_size || !same_hash(bytes, trailer.head_hash)) return ReadError::damaged;
    for (size_t at = 0; at < bytes.size;) {
        size_t field = at;
        if (bytes.size - at < head_field_header) return ReadError::damaged;
        uint64_t tag = number(bytes.data + at, 2), flags = number(bytes.data + at + 2, 2),
                 length = number(bytes.data + at + 4, 4);
        at += head_field_header;
        if (length > bytes.size - at) return ReadError::damaged;
        Bytes value{bytes.data + at, static_cast<size_t>(length)};
        at += value.size;
        switch (tag) {
        case head_tree_id:
            head.tree_id = value;
            break;
        case head_name:
            head.name = value;
            break;
        case head_start:
            head.start = value;
            break;
        case head_mode:
            head.window = value.size == 1 && value.data[0] == 1;
            break;
        case head_index_hash:
            head.index_hash = value;
            break;
        case head_tree_folder:
            head.tree_folder = value;
            break;
        case head_working_folder:
            head.working_folder = value;
            break;
        case head_loader:
            head.loader = value;
            break;
        case head_version:
            head.version = value;
            break;
        case head_state:
            head.state = value;
            break;
        case head_kept_variables:
        case head_set_variables:
            // The texts end within the field.
            if (value.size == 0 || value.data[value.size - 1] != 0) return ReadError::damaged;
            (tag == head_kept_variables ? head.kept_variables : head.set_variables) = value;
            break;
        case head_launcher_hash:
            head.launcher_hash = value;
            break;
        case head_parts:
            if (!read_parts_place(value, trailer, head.parts)) return ReadError::damaged;
            break;
        case head_signature:
            head.signature = value;
            head.signed_part = {bytes.data, field};
            // What stood behind it would be signed by nobody.
            if (at != bytes.size || value.size != signature_size) return ReadError::damaged;
            break;
        default:
            if ((flags & head_must_know) != 0) return ReadError::newer_format;
        }
    }
    bool complete = head.start.size > 0 && head.start.data[head.start.size - 1] == 0 && head.name.size > 0 &&
                    (head.tree_folder.size > 0 || (head.tree_id.size == 32 && head.index_hash.size == 32)) &&
                    is_whole_state(head.state) &&
                    (head.launcher_hash.size == 0 || head.launcher_hash.size == 32);
    return complete ? ReadError::none : ReadError::damaged;
}

ReadError unpack_index(Bytes stored, const Trailer& trailer, const Head& head, uint8_t* raw) {
    if (!same_hash(stored, head.index_hash.data)) return ReadError::damaged;
    size_t size = ZSTD_decompress(raw, trailer.index_raw, stored.data, stored.size);
    return size == trailer.index_raw ? ReadError::none : ReadError::damaged;
}

ReadError Index::open(Bytes bytes, const Trailer& trailer, bool has_blocks) {
    bytes_ = bytes;
    payload_offset_ = trailer.payload_offset;
    if (bytes.size < 12) return ReadError::damaged;
    block_count_ = static_cast<uint32_t>(number(bytes.data, 4));
    content_count_ = static_cast<uint32_t>(number(bytes.data + 4, 4));
    file_count_ = static_cast<uint32_t>(number(bytes.data + 8, 4));
    uint64_t tables = uint64_t(block_count_) * block_record + uint64_t(content_count_) * content_record;
    if (tables > bytes.size - 12) return ReadError::damaged;
    blocks_ = bytes.data + 12;
    contents_ = blocks_ + size_t(block_count_) * block_record;
    files_ = {contents_ + size_t(content_count_) * content_record,
              bytes.size - 12 - static_cast<size_t>(tables)};

    uint64_t from_blocks = 0, from_contents = 0;
    for (uint32_t i = 0; i < block_count_; ++i) {
        Block one = block(i);
        uint64_t offset = one.offset - payload_offset_;
        bool fits = one.offset >= payload_offset_ && offset <= trailer.payload_size &&
                    one.stored_size <= trailer.payload_size - offset && one.raw_size > 0 &&
                    one.raw_size <= largest_block && one.stored_size <= one.raw_size;
        if (!fits) return ReadError::damaged;
        from_blocks += one.raw_size;
    }
    for (uint32_t i = 0; i < content_count_; ++i) {
        if (has_blocks && content_size(i) > from_blocks - from_contents) return ReadError::damaged;
        from_contents += content_size(i);
    }
    if (has_blocks ? from_blocks != from_contents : block_count_ != 0) return ReadError::damaged;
    size_t at = 0;
    File file;
    for (uint32_t i = 0; i < file_count_; ++i)
        if (!next_file(at, file) || file.content >= content_count_ || !is_safe_path(file.path))
            return ReadError::damaged;
    return at == files_.size ? ReadError::none : ReadError::damaged;
}

Block Index::block(uint32_t i) const {
    const uint8_t* at = blocks_ + size_t(i) * block_record;
    uint32_t raw_size = static_cast<uint32_t>(number(at + 12, 4));
    return {payload_offset_ + number(at, 8), static_cast<uint32_t>(number(at + 8, 4)),
            raw_size & ~block_is_code, (raw_size & block_is_code) != 0, at + 16};
}

uint64_t Index::content_size(uint32_t i) const { return number(contents_ + size_t(i) * content_record, 8); }
const uint8_t* Index::content_hash(uint32_t i) const { return contents_ + size_t(i) * content_record + 8; }

bool Index::next_file(size_t& at, File& file) const {
    if (files_.size - at < file_record) return false;
    const uint8_t* record = files_.data + at;
    file.content = static_cast<uint32_t>(number(record, 4));
    file.mode = static_cast<uint16_t>(number(record + 4, 2));
    size_t length = static_cast<size_t>(number(record + 6, 2));
    if (length > files_.size - at - file_record) return false;
    file.path = {record + file_record, length};
    at += file_record + length;
    return true;
}

size_t tree_identity_size(const Head& head, const Index& index) {
    constexpr size_t with_each = 1 + 2 + 32; // a zero byte, the mode, the hash
    size_t size = head.start.size + 1;
    File file;
    for (size_t at = 0; index.next_file(at, file);) size += file.path.size + with_each;
    return size;
}

bool is_tree_id_right(const Head& head, const Index& index, uint8_t* room) {
    uint8_t* end = room;
    auto add = [&end](const uint8_t* bytes, size_t size) {
        memcpy(end, bytes, size);
        end += size;
    };
    add(head.start.data, head.start.size);
    *end++ = 0;
    File file;
    for (size_t at = 0; index.next_file(at, file);) {
        add(file.path.data, file.path.size);
        *end++ = 0;
        *end++ = static_cast<uint8_t>(file.mode);
        *end++ = static_cast<uint8_t>(file.mode >> 8);
        add(index.content_hash(file.content), 32);
    }
    return head.tree_id.size == 32 && same_hash({room, static_cast<size_t>(end - room)}, head.tree_id.data);
}

ReadError unpack_block(const uint8_t* stored, const Block& block, uint8_t* raw, void* context) {
    if (!same_hash({stored, block.stored_size}, block.hash)) return ReadError::damaged;
    if (block.stored_size == block.raw_size) {
        memcpy(raw, stored, block.raw_size);
        return ReadError::none;
    }
    size_t size = context != nullptr ? ZSTD_decompressDCtx(static_cast<ZSTD_DCtx*>(context), raw,
                                                           block.raw_size, stored, block.stored_size)
                                     : ZSTD_decompress(raw, block.raw_size, stored, block.stored_size);
    if (size != block.raw_size) return ReadError::damaged;
    if (block.is_code) positions_to_distances(raw, size);
    return ReadError::none;
}

} // namespace omnistasis::payload
