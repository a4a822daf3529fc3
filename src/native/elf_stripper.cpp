#include "native/elf_stripper.h"

#include "native/elf_image.h"

#include <algorithm>
#include <array>
#include <elf.h>

namespace omnistasis::native {

namespace {

/// The end of what is loaded, or is read at its place in the file: segments and their headers.
std::uint64_t end_of_loaded(const ElfImage& image) {
    std::uint64_t end = image.segment_table + image.segments.size() * image.segment_size();
    for (const ElfSegment& segment : image.segments)
        if (segment.file_size > 0) end = std::max(end, segment.offset + segment.file_size);
    return end;
}

/// The loaded sections, in front of all others; none where others stand among them: symbols name their
/// sections by number.
std::vector<ElfSection> loaded_sections(const std::vector<ElfSection>& sections) {
    auto is_loaded = [](const ElfSection& section) { return (section.flags & SHF_ALLOC) != 0; };
    auto end = std::find_if_not(sections.begin() + 1, sections.end(), is_loaded);
    if (std::any_of(end, sections.end(), is_loaded)) return {};
    return {sections.begin(), end};
}

/// Sections that compilers and linkers leave for debuggers and for themselves. Others that are not loaded may
/// be read by the program, out of its own file.
bool is_for_debuggers(std::string_view name) {
    constexpr std::array<std::string_view, 14> beginnings{
        ".debug",   ".zdebug", ".gnu_debug", ".stab",   ".gdb_index", ".note",     ".gnu.build.attributes",
        ".annobin", ".GCC.",   ".comment",   ".symtab", ".strtab",    ".shstrtab", ".gnu.lto_"};
    return std::ranges::any_of(beginnings, [&](std::string_view one) { return name.starts_with(one); });
}

/// The end of all that the headers tell of. What lies behind it the program put there for itself.
std::uint64_t end_of_told(const ElfImage& image, std::uint64_t end) {
    end = std::max(end, image.section_table + image.sections.size() * image.section_size());
    for (const ElfSection& section : image.sections)
        if (section.type != SHT_NOBITS) end = std::max(end, section.offset + section.size);
    return end;
}

} // namespace

Result<Bytes> without_debug_symbols(ByteSpan file, const std::string& name) {
    auto elf = read_elf(file, name);
    if (!elf) return pass_on(elf);
    Bytes unchanged(file.begin(), file.end());
    ElfImage image(file, elf->is_64_bit, elf->little_endian);
    if (!image.read_headers() || image.segments.empty() || image.sections.size() < 2 ||
        image.section_names >= image.sections.size())
        return unchanged;
    std::uint64_t end = end_of_loaded(image);
    std::vector<ElfSection> kept = loaded_sections(image.sections);
    if (kept.empty() || end > file.size()) return unchanged;
    for (const ElfSection& section : kept)
        if (section.type != SHT_NOBITS && section.type != SHT_NULL &&
            (section.offset > end || section.size > end - section.offset))
            return unchanged;

    ByteView view(file, elf->little_endian);
    const ElfSection& old_names = image.sections[image.section_names];
    NameReader name_reader(view);
    auto name_of = [&](const ElfSection& section) {
        return name_reader.text(old_names.offset + section.name, old_names.offset + old_names.size);
    };
    auto is_kept = [&](const ElfSection& section) { return !is_for_debuggers(name_of(section)); };
    if (std::any_of(image.sections.begin() + static_cast<std::ptrdiff_t>(kept.size()), image.sections.end(),
                    is_kept) ||
        end_of_told(image, end) < file.size())
        return unchanged;
    std::string names(1, '\0');
    auto add_name = [&](ElfSection& section, std::string_view text) {
        section.name = static_cast<std::uint32_t>(names.size());
        names += text;
        names += '\0';
    };
    for (ElfSection& section : kept) {
        if (section.type == SHT_NULL) continue;
        add_name(section, name_of(section));
        if (section.link >= kept.size()) section.link = 0;
        if ((section.flags & SHF_INFO_LINK) != 0 && section.info >= kept.size()) section.info = 0;
    }
    ElfSection table;
    table.type = SHT_STRTAB;
    table.alignment = 1;
    table.offset = end;
    add_name(table, ".shstrtab");
    table.size = names.size();
    kept.push_back(table);

    image.bytes.resize(end);
    image.bytes.insert(image.bytes.end(), names.begin(), names.end());
    image.bytes.resize((image.bytes.size() + 7) / 8 * 8);
    image.section_table = image.bytes.size();
    image.section_names = static_cast<std::uint16_t>(kept.size() - 1);
    image.sections = std::move(kept);
    image.bytes.resize(image.bytes.size() + image.sections.size() * image.section_size());
    if (image.bytes.size() >= file.size()) return unchanged;
    image.write_headers();
    return std::move(image.bytes);
}

} // namespace omnistasis::native
