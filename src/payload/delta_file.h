#pragma once

#include "payload/delta.h"

#include <cstdint>
#include <string>
#include <vector>

namespace omnistasis::payload {

constexpr std::uint64_t largest_piece = 64u << 20; ///< bytes of one that is in the delta

/// A stretch of a file that is written: of the base's file, or of the delta's data.
struct Piece {
    bool from_base = false;
    std::uint64_t offset = 0; ///< in the base's file, or in the data
    std::uint64_t stored = 0; ///< data: in the delta
    std::uint64_t size = 0;
    std::string packed; ///< data: `none`, `zstd`, or `zstd-base`: with the base's file as what went before
    std::string hash; ///< of the content, hexadecimal: SHA-256 of data, XXH3 (128 bits) of what the base has
};

struct ChangedFile {
    std::string path; ///< in the output's folder; empty: the output is this file
    unsigned mode = 0644;
    std::vector<Piece> pieces;
};

/// A delta file in memory (docs/delta-format.md).
struct DeltaFile {
    DeltaSummary summary;
    std::vector<ChangedFile> files;
    ByteSpan data; ///< what the pieces are taken from

    /// Reads it from bytes that stay. Every size is checked; fails with an error of the kind bad_input.
    static Result<DeltaFile> read(ByteSpan bytes, const fs::path& name);
    std::string text() const;
};

/// `raw` as one zstd frame, with `before` as what its reader has seen already. Empty where that fails.
std::string pack_piece(ByteSpan raw, ByteSpan before);

/// Fills `raw`, unless the frame is not of `size` bytes: nothing is allocated for one that only says so.
bool unpack_piece(ByteSpan stored, ByteSpan before, std::uint64_t size, std::string& raw);

tl::unexpected<Error> damaged_delta(const fs::path& file, const std::string& why);

} // namespace omnistasis::payload
