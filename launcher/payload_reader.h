// Reads a payload from the end of an executable. Every number is checked before it is used; nothing is
// believed that its hash does not confirm. Needs no C++ library: it is part of the launcher, and of
// Omnistasis itself.
#pragma once

#include "payload_format.h"

namespace omnistasis::payload {

enum class ReadError {
    none,
    no_payload,   ///< the file does not end with a trailer
    newer_format, ///< a version, or a field that must be known, that this reader does not know
    cut_off,      ///< the file is shorter than its payload says
    damaged,      ///< a hash or a number does not fit
};

/// A sentence about the error, without a full stop.
const char* text_of(ReadError error);

struct Bytes {
    const uint8_t* data = nullptr;
    size_t size = 0;
};

/// Where the parts of a payload are; offsets from the start of the file.
struct Trailer {
    uint64_t payload_offset = 0;
    uint64_t payload_size = 0;
    uint64_t head_offset = 0;
    uint64_t head_size = 0;
    uint64_t index_offset = 0;
    uint64_t index_stored = 0;
    uint64_t index_raw = 0;
    uint8_t head_hash[32] = {};
};

/// Where the list of parts is; inside the payload.
struct PartsPlace {
    uint64_t offset = 0; ///< from the start of the file
    uint64_t stored = 0;
    uint64_t raw = 0;
    const uint8_t* hash = nullptr; ///< null: there is no list
};

/// What the launcher must know to start; views into the head's bytes.
struct Head {
    Bytes tree_id; ///< 32 bytes
    Bytes name;
    Bytes start;
    Bytes index_hash; ///< 32 bytes
    Bytes tree_folder;
    Bytes working_folder{}; ///< a place in the tree; empty: where the caller is
    Bytes loader{};         ///< the tree's own dynamic loader; empty: the system's
    Bytes version;
    Bytes kept_variables{}; ///< names, each ended by a zero byte
    Bytes set_variables{};  ///< NAME=VALUE, each ended by a zero byte
    Bytes state{};          ///< texts, each ended by a zero byte, three for each: see docs/payload-format.md
    Bytes launcher_hash{};  ///< 32 bytes; empty: not told
    Bytes signature{};      ///< 64 bytes; empty: not signed
    Bytes signed_part{};    ///< what the signature is over
    PartsPlace parts{};
    bool window = false;
};

/// One compressed piece of the stream of contents.
struct Block {
    uint64_t offset = 0; ///< from the start of the file
    uint32_t stored_size = 0;
    uint32_t raw_size = 0; ///< equal to stored_size: not compressed
    bool is_code = false;  ///< the targets of calls are positions
    const uint8_t* hash = nullptr;
};

struct File {
    uint32_t content = 0;
    uint16_t mode = 0;
    Bytes path;
};

/// The index, with accessors that stay within it. `bytes` must outlive it.
class Index {
  public:
    /// Checks the whole index against itself and the file's size. The contents of a tree that lies beside the
    /// launcher are in no block (`has_blocks` false).
    ReadError open(Bytes bytes, const Trailer& trailer, bool has_blocks);

    uint32_t block_count() const { return block_count_; }
    uint32_t content_count() const { return content_count_; }
    uint32_t file_count() const { return file_count_; }
    Block block(uint32_t number) const;
    uint64_t content_size(uint32_t number) const;
    const uint8_t* content_hash(uint32_t number) const;

    /// Walks the files: `at` begins at 0 and is moved on; false at the end.
    bool next_file(size_t& at, File& file) const;

  private:
    Bytes bytes_;
    uint64_t payload_offset_ = 0;
    uint32_t block_count_ = 0, content_count_ = 0, file_count_ = 0;
    const uint8_t* blocks_ = nullptr;
    const uint8_t* contents_ = nullptr;
    Bytes files_;
};

/// Whether a path is relative and stays in its tree: its parts are neither empty nor `.` or `..`, and it has
/// no zero byte.
bool is_safe_path(Bytes path);

/// Reads the last `trailer_size` bytes of a file of `file_size` bytes.
ReadError read_trailer(const uint8_t* bytes, uint64_t file_size, Trailer& trailer);
ReadError read_head(Bytes bytes, const Trailer& trailer, Head& head);

/// Checks the stored index against its hash and unpacks it into `raw`, which has room for `trailer.index_raw`
/// bytes.
ReadError unpack_index(Bytes stored, const Trailer& trailer, const Head& head, uint8_t* raw);

/// Whether the tree's id is that of the index: of the start, and of each file's path, mode and content. Works
/// in `room`, which has to be of the size that tree_identity_size gives.
bool is_tree_id_right(const Head& head, const Index& index, uint8_t* room);
size_t tree_identity_size(const Head& head, const Index& index);

/// Checks a block's stored bytes against its hash and unpacks it into `raw`, with room for `block.raw_size`.
/// `context` is a decompression context (ZSTD_DCtx) or null.
ReadError unpack_block(const uint8_t* stored, const Block& block, uint8_t* raw, void* context);

} // namespace omnistasis::payload
