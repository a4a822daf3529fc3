#pragma once

// Numbers of the Mach-O format (<mach-o/loader.h>, <mach-o/fat.h>) that its readers and writers share.

#include "support/byte_view.h"

#include <algorithm>
#include <cstdint>

namespace omnistasis::native::mach {

inline constexpr std::uint32_t universal_magic = 0xCAFEBABE, universal_magic_64 = 0xCAFEBABF;
inline constexpr std::uint32_t magic_32 = 0xFEEDFACE, magic_64 = 0xFEEDFACF;
inline constexpr std::size_t most_images = 32, most_commands = 1u << 16;
inline constexpr std::uint64_t head_size = 32; ///< of 64 bits

/// Load commands, without the bit that says that the loader must know them.
enum Command : std::uint32_t {
    segment_32 = 0x1,
    symbol_table = 0x2,
    load_library = 0xC,
    own_name = 0xD,
    load_loader = 0xE,
    load_weak = 0x18,
    segment_64 = 0x19,
    file_uuid = 0x1B,
    search_path = 0x1C,
    signature = 0x1D,
    reexport = 0x1F,
    encryption = 0x21,
    load_upward = 0x23,
    oldest_macos = 0x24,
    oldest_ios = 0x25,
    encryption_64 = 0x2C,
    build_version = 0x32,
    chained_fixups = 0x34,
};
inline constexpr std::uint32_t command_bits = 0x7FFFFFFF;

inline bool loads_library(std::uint32_t command) {
    return command == load_library || command == load_weak || command == reexport || command == load_upward;
}

/// Calls `with(command, offset, size)` for each load command of a thin file of 64 bits, little-endian.
template <typename Function> void each_command(const ByteView& file, const Function& with) {
    std::uint64_t at = head_size;
    for (std::uint32_t i = 0; i < std::min<std::uint64_t>(file.word(16), most_commands); ++i) {
        std::uint32_t size = file.word(at + 4);
        if (size < 8 || !file.holds(at, size)) break;
        with(file.word(at) & command_bits, at, size);
        at += size;
    }
}

/// Where the content of such a file's first section begins, up to which load commands may reach.
inline std::uint64_t first_section(const ByteView& file) {
    constexpr std::uint64_t segment_head = 72, section_size = 80;
    std::uint64_t first = file.size();
    each_command(file, [&](std::uint32_t command, std::uint64_t at, std::uint32_t size) {
        std::uint64_t most = size < segment_head ? 0 : (size - segment_head) / section_size;
        std::uint64_t count = std::min<std::uint64_t>(file.word(at + 64), most);
        for (std::uint64_t i = 0; command == segment_64 && i < count; ++i) {
            std::uint64_t offset = file.word(at + segment_head + section_size * i + 48);
            if (offset != 0) first = std::min(first, offset);
        }
    });
    return first;
}

} // namespace omnistasis::native::mach
