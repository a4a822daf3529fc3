#include "native/elf_image.h"

namespace omnistasis::native {

namespace {

/// Offsets in the file header (System V ABI, "ELF Header").
struct HeaderFields {
    std::uint64_t segment_table, section_table, segment_size, segment_count, section_size, section_count,
        section_names;
};
constexpr HeaderFields fields_64{32, 40, 54, 56, 58, 60, 62};
constexpr HeaderFields fields_32{28, 32, 42, 44, 46, 48, 50};

} // namespace

/// Calls `visit(offset, width, field)` for each field of a program header.
template <typename Segment, typename Visit>
void ElfImage::visit_segment(Segment& segment, Visit visit) const {
    visit(0, 4, segment.type);
    visit(is_64_bit_ ? 4 : 24, 4, segment.flags);
    std::uint64_t width = word_size(), at = is_64_bit_ ? 8 : 4;
    for (auto* field : {&segment.offset, &segment.address, &segment.physical_address, &segment.file_size,
                        &segment.memory_size}) {
        visit(at, width, *field);
        at += width;
    }
    visit(is_64_bit_ ? 48 : 28, width, segment.alignment);
}

template <typename Section, typename Visit>
void ElfImage::visit_section(Section& section, Visit visit) const {
    std::uint64_t width = word_size();
    visit(0, 4, section.name);
    visit(4, 4, section.type);
    std::uint64_t at = 8;
    for (auto* field : {&section.flags, &section.address, &section.offset, &section.size}) {
        visit(at, width, *field);
        at += width;
    }
    visit(at, 4, section.link);
    visit(at + 4, 4, section.info);
    visit(at + 8, width, section.alignment);
    visit(at + 8 + width, width, section.entry_size);
}

bool ElfImage::read_headers() {
    const HeaderFields& fields = is_64_bit_ ? fields_64 : fields_32;
    ByteView from = view();
    segment_table = from.number(fields.segment_table, static_cast<unsigned>(word_size()));
    section_table = from.number(fields.section_table, static_cast<unsigned>(word_size()));
    section_names = from.half(fields.section_names);
    if (from.half(fields.segment_size) != segment_size()) return false;
    auto read_at = [&](std::uint64_t start) {
        return [&, start](std::uint64_t offset, std::uint64_t width, auto& field) {
            field = static_cast<std::remove_reference_t<decltype(field)>>(
                from.number(start + offset, static_cast<unsigned>(width)));
        };
    };
    for (std::uint64_t i = 0; i < from.half(fields.segment_count); ++i)
        visit_segment(segments.emplace_back(), read_at(segment_table + i * segment_size()));
    std::uint64_t count = from.half(fields.section_count);
    if (section_table == 0 || from.half(fields.section_size) != section_size() ||
        !from.holds(section_table, count * section_size()))
        return true;
    for (std::uint64_t i = 0; i < count; ++i)
        visit_section(sections.emplace_back(), read_at(section_table + i * section_size()));
    return true;
}

void ElfImage::write_headers() {
    const HeaderFields& fields = is_64_bit_ ? fields_64 : fields_32;
    put(fields.segment_table, segment_table, word_size());
    put(fields.section_table, section_table, word_size());
    put(fields.segment_count, segments.size(), 2);
    auto write_at = [&](std::uint64_t start) {
        return [this, start](std::uint64_t offset, std::uint64_t width, const auto& field) {
            put(start + offset, field, width);
        };
    };
    for (std::size_t i = 0; i < segments.size(); ++i)
        visit_segment(segments[i], write_at(segment_table + i * segment_size()));
    if (sections.empty()) return;
    put(fields.section_count, sections.size(), 2);
    put(fields.section_names, section_names, 2);
    for (std::size_t i = 0; i < sections.size(); ++i)
        visit_section(sections[i], write_at(section_table + i * section_size()));
}

void ElfImage::put(std::uint64_t offset, std::uint64_t value, std::uint64_t width) {
    if (offset > bytes.size() || width > bytes.size() - offset) return;
    for (std::uint64_t i = 0; i < width; ++i)
        bytes[offset + i] = static_cast<std::uint8_t>(value >> (8 * (little_endian_ ? i : width - 1 - i)));
}

} // namespace omnistasis::native
