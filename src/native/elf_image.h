#pragma once

#include "native/elf_reader.h"
#include "support/byte_view.h"

#include <string>
#include <vector>

namespace omnistasis::native {

/// A section header (System V ABI, "Sections").
struct ElfSection {
    std::uint32_t name = 0; ///< offset in the table of section names
    std::uint32_t type = 0;
    std::uint64_t flags = 0;
    std::uint64_t address = 0;
    std::uint64_t offset = 0; ///< in the file
    std::uint64_t size = 0;
    std::uint32_t link = 0; ///< index of a section that it goes with
    std::uint32_t info = 0;
    std::uint64_t alignment = 0;
    std::uint64_t entry_size = 0;
};

/// The bytes of an ELF file that are changed: 32 or 64 bit, either byte order. Headers are read once, changed
/// as structures, and written back.
class ElfImage {
  public:
    ElfImage(ByteSpan file, bool is_64_bit, bool little_endian)
        : bytes(file.begin(), file.end()), is_64_bit_(is_64_bit), little_endian_(little_endian) {}

    /// False where entries have a size that the format does not know. Section headers that are not all in the
    /// file are passed over.
    bool read_headers();

    /// Writes the file header and both tables, each at its place; there has to be room.
    void write_headers();

    ByteView view() const { return ByteView(bytes, little_endian_); }
    void put(std::uint64_t offset, std::uint64_t value, std::uint64_t width);

    std::uint64_t word_size() const { return is_64_bit_ ? 8 : 4; }
    std::uint64_t dynamic_size() const { return 2 * word_size(); } ///< of an entry of the dynamic section
    std::uint64_t segment_size() const { return is_64_bit_ ? 56 : 32; } ///< of a program header
    std::uint64_t section_size() const { return is_64_bit_ ? 64 : 40; } ///< of a section header

    Bytes bytes;
    std::vector<ElfSegment> segments;
    std::vector<ElfSection> sections; ///< empty where there are none
    std::uint64_t segment_table = 0;  ///< offsets in the file
    std::uint64_t section_table = 0;
    std::uint16_t section_names = 0; ///< index of the section with the names of sections

  private:
    template <typename Segment, typename Visit> void visit_segment(Segment& segment, Visit visit) const;
    template <typename Section, typename Visit> void visit_section(Section& section, Visit visit) const;

    bool is_64_bit_;
    bool little_endian_;
};

} // namespace omnistasis::native
