#include "native/loaded_image.h"

#include "native/elf_reader.h"
#include "native/mach_o_format.h"
#include "native/mach_o_reader.h"
#include "native/pe_reader.h"

#include <algorithm>
#include <elf.h>
#include <map>

namespace omnistasis::native {

namespace {

// No real file has more; a hostile one shall not make us allocate for its numbers.
constexpr std::uint64_t most_parts = 1024;
constexpr std::uint64_t most_symbols = 1u << 18;
constexpr std::uint64_t longest_text = 4096;

} // namespace

std::optional<LoadedImage> LoadedImage::of(ByteSpan bytes) {
    LoadedImage image(bytes);
    bool is_read = looks_like_pe(bytes)    ? image.read_pe()
                   : looks_like_elf(bytes) ? image.read_elf()
                                           : looks_like_mach_o(bytes) && image.read_mach_o();
    return is_read ? std::optional(std::move(image)) : std::nullopt;
}

std::optional<std::uint64_t> LoadedImage::symbol(std::string_view name) const {
    auto found = symbols_.find(name);
    return found == symbols_.end() ? std::nullopt : std::optional(found->second);
}

std::optional<std::uint64_t> LoadedImage::offset_of(std::uint64_t address) const {
    for (const Part& part : parts_)
        if (address >= part.address && address - part.address < part.size)
            return part.offset + (address - part.address);
    return std::nullopt;
}

std::uint64_t LoadedImage::pointer_at(std::uint64_t address) const {
    if (auto moved = relocated_.find(address); moved != relocated_.end()) return moved->second;
    auto offset = offset_of(address);
    std::uint64_t value = offset ? view_.quad(*offset) : 0;
    if (pointer_bits_ != ~0ull) {
        if ((value >> 63) != 0) return 0; // another file's
        value &= pointer_bits_;
        if (counts_from_start_) return value;
    }
    return value < base_ ? 0 : value - base_;
}

std::string_view LoadedImage::text_at(std::uint64_t address) const {
    // At 0 the file's own header lies; a pointer with that value is none.
    auto offset = address == 0 ? std::nullopt : offset_of(address);
    return offset ? view_.text(*offset, *offset + longest_text) : std::string_view();
}

bool LoadedImage::read_pe() {
    constexpr std::uint64_t header_size = 24, section_size = 40;
    std::uint64_t header = view_.word(0x3C), optional = header + header_size;
    if (view_.half(optional) != 0x20B) return false; // PE32+
    base_ = view_.quad(optional + 24);
    std::uint64_t sections = optional + view_.half(header + 20);
    for (std::uint64_t i = 0; i < std::min<std::uint64_t>(view_.half(header + 6), most_parts); ++i) {
        std::uint64_t at = sections + i * section_size;
        parts_.push_back({view_.word(at + 12), view_.word(at + 16), view_.word(at + 20)});
    }
    auto exports = offset_of(view_.word(optional + 112));
    if (!exports) return true;
    auto functions = offset_of(view_.word(*exports + 28)), names = offset_of(view_.word(*exports + 32)),
         numbers = offset_of(view_.word(*exports + 36));
    std::uint64_t count = std::min<std::uint64_t>(view_.word(*exports + 24), most_symbols);
    for (std::uint64_t i = 0; functions && names && numbers && i < count; ++i) {
        std::uint64_t at = *functions + std::uint64_t(4) * view_.half(*numbers + 2 * i);
        if (!view_.holds(*names + 4 * i, 4) || !view_.holds(at, 4)) break;
        symbols_.emplace(text_at(view_.word(*names + 4 * i)), view_.word(at));
    }
    return true;
}

bool LoadedImage::read_elf() {
    constexpr std::uint64_t segment_size = 56, dynamic_size = 16, rela_size = 24;
    if (view_.byte(EI_CLASS) != ELFCLASS64 || view_.byte(EI_DATA) != ELFDATA2LSB) return false;
    std::uint64_t segments = view_.quad(32);
    Part dynamic;
    for (std::uint64_t i = 0; i < std::min<std::uint64_t>(view_.half(56), most_parts); ++i) {
        std::uint64_t at = segments + i * segment_size;
        Part part{view_.quad(at + 16), view_.quad(at + 32), view_.quad(at + 8)};
        if (view_.word(at) == PT_LOAD) parts_.push_back(part);
        if (view_.word(at) == PT_DYNAMIC) dynamic = part;
    }
    std::map<std::uint64_t, std::uint64_t> entries;
    for (std::uint64_t at = dynamic.offset; at + dynamic_size <= dynamic.offset + dynamic.size &&
                                            view_.holds(at, dynamic_size) && view_.quad(at) != DT_NULL;
         at += dynamic_size)
        entries.emplace(view_.quad(at), view_.quad(at + 8));
    auto symbols = offset_of(entries[DT_SYMTAB]), texts = offset_of(entries[DT_STRTAB]);
    if (symbols && texts) read_elf_symbols(*symbols, *texts);
    auto relocations = offset_of(entries[DT_RELA]);
    for (std::uint64_t i = 0; relocations && i < entries[DT_RELASZ] / rela_size; ++i) {
        std::uint64_t at = *relocations + i * rela_size;
        if (!view_.holds(at, rela_size)) break;
        std::uint64_t info = view_.quad(at + 8), type = ELF64_R_TYPE(info);
        std::uint64_t value = view_.quad(at + 16);
        // What stands for a symbol of the file itself, as `R_X86_64_64`, has its address in the table.
        if (symbols && ELF64_R_SYM(info) != 0)
            value += view_.quad(*symbols + ELF64_R_SYM(info) * sizeof(Elf64_Sym) + 8);
        if (type != R_X86_64_COPY && type != R_AARCH64_COPY) relocated_.emplace(view_.quad(at), value);
    }
    return true;
}

bool LoadedImage::read_mach_o() {
    if (view_.word(0) != mach::magic_64) return false;
    std::uint64_t symbols = 0;
    mach::each_command(view_, [&](std::uint32_t command, std::uint64_t at, std::uint32_t) {
        if (command == mach::symbol_table) symbols = at;
        if (command == mach::chained_fixups) read_mach_o_chains(view_.word(at + 8));
        if (command != mach::segment_64 || parts_.size() == most_parts) return;
        if (view_.text(at + 8, at + 24) == "__TEXT") base_ = view_.quad(at + 24);
        parts_.push_back({view_.quad(at + 24), view_.quad(at + 48), view_.quad(at + 40)});
    });
    for (Part& part : parts_) part.address -= std::min(base_, part.address);
    if (symbols != 0) read_mach_o_symbols(symbols);
    return true;
}

void LoadedImage::read_mach_o_chains(std::uint64_t fixups) {
    constexpr std::uint16_t counts_from_start = 6; // DYLD_CHAINED_PTR_64_OFFSET
    // The kind of pointer is said for each segment; those of one file are of one kind.
    std::uint64_t starts = fixups + view_.word(fixups + 4);
    std::uint16_t kind = 0;
    for (std::uint64_t i = 0; i < std::min<std::uint64_t>(view_.word(starts), most_parts); ++i)
        if (std::uint32_t inner = view_.word(starts + 4 + 4 * i); inner != 0)
            kind = view_.half(starts + inner + 6);
    pointer_bits_ = (1ull << 36) - 1;
    counts_from_start_ = kind == counts_from_start;
}

void LoadedImage::read_mach_o_symbols(std::uint64_t command) {
    constexpr std::uint64_t symbol_size = 16;
    constexpr std::uint8_t is_exported = 0x01, in_section = 0x0E;
    std::uint64_t symbols = view_.word(command + 8), texts = view_.word(command + 16);
    std::uint64_t count = std::min<std::uint64_t>(view_.word(command + 12), most_symbols);
    for (std::uint64_t i = 0; i < count; ++i) {
        std::uint64_t at = symbols + i * symbol_size, text = texts + view_.word(at);
        if (!view_.holds(at, symbol_size)) break;
        std::uint8_t type = view_.byte(at + 4);
        std::string_view name = view_.text(text, text + longest_text);
        // Names of C begin with an underscore there.
        if ((type & is_exported) != 0 && (type & in_section) == in_section && name.starts_with('_'))
            symbols_.emplace(name.substr(1), view_.quad(at + 8) - base_);
    }
}

void LoadedImage::read_elf_symbols(std::uint64_t symbols, std::uint64_t texts) {
    // The table has no end of its own: that of names lies behind it.
    std::uint64_t end = texts > symbols ? texts : view_.size();
    std::uint64_t count = std::min<std::uint64_t>((end - symbols) / sizeof(Elf64_Sym), most_symbols);
    for (std::uint64_t i = 1; i < count; ++i) {
        std::uint64_t at = symbols + i * sizeof(Elf64_Sym);
        std::uint64_t value = view_.quad(at + 8), text = texts + view_.word(at);
        if (!view_.holds(at, sizeof(Elf64_Sym))) break;
        if (value != 0 && view_.half(at + 6) != SHN_UNDEF)
            symbols_.emplace(view_.text(text, text + longest_text), value);
    }
}

} // namespace omnistasis::native
