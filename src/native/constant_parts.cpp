#include "native/constant_parts.h"

#include "native/elf_reader.h"
#include "native/mach_o_reader.h"
#include "native/pe_reader.h"
#include "support/byte_view.h"

#include <algorithm>

namespace omnistasis::native {

namespace {

void add(std::vector<ByteSpan>& parts, ByteSpan bytes, std::uint64_t offset, std::uint64_t size) {
    if (offset < bytes.size()) parts.push_back(bytes.subspan(offset, std::min(size, bytes.size() - offset)));
}

void add_of_pe(std::vector<ByteSpan>& parts, ByteSpan bytes) {
    constexpr std::uint32_t executable = 0x20000000;
    constexpr std::uint64_t header_size = 24, section_size = 40, most_sections = 1024;
    ByteView view(bytes);
    std::uint64_t header = view.word(0x3C), sections = header + header_size + view.half(header + 20);
    for (std::uint64_t i = 0; i < std::min<std::uint64_t>(view.half(header + 6), most_sections); ++i) {
        std::uint64_t at = sections + i * section_size;
        if ((view.word(at + 36) & executable) == 0) add(parts, bytes, view.word(at + 20), view.word(at + 16));
    }
}

} // namespace

std::vector<ByteSpan> constant_parts(ByteSpan bytes) {
    std::vector<ByteSpan> parts;
    if (auto elf = read_elf(bytes, ""); elf) {
        for (const ElfSegment& segment : elf->segments) {
            constexpr std::uint32_t load = 1, executable = 1;
            if (segment.type == load && (segment.flags & executable) == 0)
                add(parts, bytes, segment.offset, segment.file_size);
        }
    } else if (looks_like_pe(bytes)) {
        add_of_pe(parts, bytes);
    } else if (looks_like_mach_o(bytes)) {
        parts.push_back(bytes);
    }
    return parts;
}

} // namespace omnistasis::native
