// The payload format, version 1: the numbers that its writer and its reader share. docs/payload-format.md
// specifies it; all numbers are little-endian. This header uses nothing but the compiler's own integer types,
// so that the launcher needs no C++ library.
#pragma once

#include <stddef.h>
#include <stdint.h>

namespace omnistasis::payload {

constexpr char trailer_magic[8] = {'O', 'M', 'N', 'I', 'P', 'A', 'Y', '1'};
constexpr uint32_t format_version = 1;
constexpr size_t trailer_size = 128;

/// Offsets of the trailer's fields.
enum TrailerField : size_t {
    trailer_version = 8,
    trailer_flags = 12,
    trailer_payload_offset = 16, ///< from the start of the file
    trailer_payload_size = 24,   ///< to the end of the file, the trailer included
    trailer_head_offset = 32,    ///< from the start of the payload, as the next
    trailer_head_size = 40,
    trailer_index_offset = 48,
    trailer_index_stored = 56,
    trailer_index_raw = 64,
    trailer_head_hash = 72, ///< SHA-256 of the head
    trailer_own_hash = 120, ///< the first 8 bytes of the SHA-256 of all that is in front of it in the trailer
};

/// Tags of the head's fields. A reader passes over a tag that it does not know unless `must_know` is set.
enum HeadTag : uint16_t {
    head_tree_id = 1,        ///< 32 bytes that stand for the tree's content
    head_name = 2,           ///< the application's name, UTF-8
    head_start = 3,          ///< program and arguments, each ended by a zero byte
    head_mode = 4,           ///< one byte: 0 console, 1 window
    head_index_hash = 5,     ///< SHA-256 of the index as it is stored
    head_tree_folder = 6,    ///< the tree is this folder, relative to the launcher's own; nothing is unpacked
    head_version = 7,        ///< the application's version, UTF-8
    head_working_folder = 8, ///< a place in the tree that the application starts in; else the caller's folder
    head_loader = 9, ///< the tree's own dynamic loader, which starts the program; else the system's does
    head_state = 10, ///< what the application writes: kind, place and path of each, each ended by a zero byte
    head_launcher_hash = 11, ///< SHA-256 of all that is in front of the payload
    head_parts = 12,         ///< where the list of parts is: offset 8, stored size 8, raw size 8, SHA-256 32
    head_kept_variables =
        14,                  ///< names of variables that are kept from the program, each ended by a zero byte
    head_set_variables = 15, ///< NAME=VALUE of variables for the program, each ended by a zero byte
    head_signature = 13, ///< Ed25519 (RFC 8032) over the head's bytes in front of this field; the last one
};
constexpr uint16_t head_must_know = 1;
constexpr size_t head_field_header = 8; ///< tag, flags, length of what follows

constexpr size_t block_record = 48;   ///< offset 8, stored size 4, raw size 4, SHA-256 of the stored bytes 32
constexpr size_t content_record = 40; ///< size 8, SHA-256 32
constexpr size_t file_record = 8;     ///< content number 4, mode 2, path length 2; the path follows
constexpr size_t parts_record = 56;   ///< the value of the field `head_parts`

/// In a launcher that checks signatures, in front of the 32 bytes of the public key.
constexpr char key_mark[] = "OMNISTASIS-PUBLIC-KEY:";
constexpr size_t key_size = 32;
/// In every launcher, in front of one byte: 1 in window mode. A file that is cut off has no head that says
/// it.
constexpr char window_mark[] = "OMNISTASIS-WINDOW:";
constexpr size_t signature_size = 64;

/// In a PE file the launcher's hash is taken with these four bytes as zero: they hold the checksum of the
/// file as a whole ("PE Format", Optional Header). The first is where the header's own offset is.
constexpr size_t pe_header_offset = 0x3c;
constexpr size_t pe_checksum_offset = 24 + 64;

/// In the raw size of a block: its bytes are code of x86-64, whose targets are positions (code_filter.h).
constexpr uint32_t block_is_code = 1u << 31;

/// A reader refuses what is larger; no writer makes it.
constexpr uint32_t largest_block = 8u << 20;
constexpr uint32_t largest_head = 1u << 20;
constexpr uint64_t largest_index = 1u << 30;
/// An index is to a good part hashes: what says that it grows by more than this when it is unpacked is none.
constexpr uint64_t smallest_index_bound = 1u << 20, most_times_smaller = 500;

} // namespace omnistasis::payload
