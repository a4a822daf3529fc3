#include "native/elf_reader.h"

#include "support/byte_view.h"

#include <algorithm>
#include <elf.h>
#include <fmt/format.h>

namespace omnistasis::native {

namespace {

/// No real file has more; a hostile one shall not make us allocate for its numbers.
constexpr std::size_t most_dynamic_entries = 1u << 16;
constexpr std::size_t most_version_records = 1u << 16;

class Reader {
  public:
    Reader(ByteSpan bytes, std::string name) : bytes_(bytes), name_(std::move(name)) {}

    Result<ElfFile> read() {
        if (!looks_like_elf(bytes_)) return error("is no ELF file", 0);
        file_.is_64_bit = bytes_[EI_CLASS] == ELFCLASS64;
        file_.little_endian = bytes_[EI_DATA] == ELFDATA2LSB;
        if (bytes_[EI_CLASS] != ELFCLASS64 && bytes_[EI_CLASS] != ELFCLASS32)
            return error("has an unknown class", EI_CLASS);
        if (bytes_[EI_DATA] != ELFDATA2LSB && bytes_[EI_DATA] != ELFDATA2MSB)
            return error("has an unknown byte order", EI_DATA);
        view_ = ByteView(bytes_, file_.little_endian);
        names_ = NameReader(view_);
        if (bytes_.size() < header_size()) return error("ends within its header", bytes_.size());
        file_.type = half(16);
        file_.machine = half(18);
        if (auto done = read_segments(); !done) return pass_on(done);
        read_dynamic();
        if (names_.is_used_up()) return error("has names that lie over each other", strings_.value_or(0));
        return std::move(file_);
    }

  private:
    std::size_t header_size() const { return file_.is_64_bit ? sizeof(Elf64_Ehdr) : sizeof(Elf32_Ehdr); }

    tl::unexpected<Error> error(const std::string& what, std::uint64_t offset) const {
        return fail(ErrorKind::bad_input, fmt::format("the file {}", what), name_,
                    fmt::format("at byte {}", offset), "the file is damaged or was cut off: get it anew");
    }

    bool inside(std::uint64_t offset, std::uint64_t size) const { return view_.holds(offset, size); }
    std::uint16_t half(std::uint64_t offset) const { return view_.half(offset); }
    std::uint32_t word(std::uint64_t offset) const { return view_.word(offset); }
    std::uint64_t address(std::uint64_t offset) const {
        return view_.number(offset, file_.is_64_bit ? 8 : 4);
    }

    Result<void> read_segments() {
        std::uint64_t table = address(file_.is_64_bit ? 32 : 28);
        std::uint16_t size = half(file_.is_64_bit ? 54 : 42);
        std::uint16_t count = half(file_.is_64_bit ? 56 : 44);
        if (count == 0) return {};
        std::size_t least = file_.is_64_bit ? sizeof(Elf64_Phdr) : sizeof(Elf32_Phdr);
        if (size < least) return error("has program headers that are too small", file_.is_64_bit ? 54 : 42);
        if (!inside(table, std::uint64_t(size) * count))
            return error("ends within its program headers", table);
        for (std::uint64_t i = 0; i < count; ++i) {
            std::uint64_t at = table + i * size;
            ElfSegment segment;
            segment.type = word(at);
            if (file_.is_64_bit) {
                segment.flags = word(at + 4);
                segment.offset = address(at + 8);
                segment.address = address(at + 16);
                segment.file_size = address(at + 32);
                segment.memory_size = address(at + 40);
                segment.alignment = address(at + 48);
            } else {
                segment.offset = address(at + 4);
                segment.address = address(at + 8);
                segment.file_size = address(at + 16);
                segment.memory_size = address(at + 20);
                segment.flags = word(at + 24);
                segment.alignment = address(at + 28);
            }
            if ((segment.type == PT_LOAD || segment.type == PT_DYNAMIC || segment.type == PT_INTERP) &&
                !inside(segment.offset, segment.file_size))
                return error("ends within a segment", segment.offset);
            if (segment.type == PT_INTERP)
                file_.interpreter = names_.text(segment.offset, segment.offset + segment.file_size);
            file_.segments.push_back(segment);
        }
        return {};
    }

    void read_dynamic() {
        const ElfSegment* dynamic = nullptr;
        for (const ElfSegment& segment : file_.segments)
            if (segment.type == PT_DYNAMIC) dynamic = &segment;
        if (dynamic == nullptr) return;
        unsigned width = file_.is_64_bit ? 8 : 4;
        std::uint64_t count = dynamic->file_size / (2 * width);
        for (std::uint64_t i = 0; i < count && i < most_dynamic_entries; ++i) {
            ElfDynamic entry{address(dynamic->offset + i * 2 * width),
                             address(dynamic->offset + i * 2 * width + width)};
            if (!file_.is_64_bit) entry.tag &= 0xFFFFFFFF;
            if (entry.tag == DT_NULL) break;
            file_.dynamic.push_back(entry);
        }
        // Of tags that stand once, the loader takes the last.
        std::optional<std::uint64_t> strings, definitions, needs;
        for (const ElfDynamic& entry : file_.dynamic) {
            if (entry.tag == DT_STRTAB) strings = entry.value;
            if (entry.tag == DT_STRSZ) strings_size_ = entry.value;
            if (entry.tag == DT_VERDEF) definitions = entry.value;
            if (entry.tag == DT_VERNEED) needs = entry.value;
        }
        if (strings) strings_ = file_.offset_of(*strings);
        for (const ElfDynamic& entry : file_.dynamic) {
            switch (entry.tag) {
            case DT_AUXILIARY:
                file_.auxiliary.push_back(string_at(entry.value));
                break;
            case DT_NEEDED:
            case DT_FILTER: // what it stands in for has to be there
                file_.needed.push_back(string_at(entry.value));
                break;
            case DT_SONAME:
                file_.soname = string_at(entry.value);
                break;
            case DT_RPATH:
                file_.rpath = string_at(entry.value);
                break;
            case DT_RUNPATH:
                file_.runpath = string_at(entry.value);
                break;
            case DT_FLAGS_1:
                file_.ignores_default_folders = (entry.value & DF_1_NODEFLIB) != 0;
                break;
            default:
                break;
            }
        }
        if (definitions) read_version_definitions(file_.offset_of(*definitions));
        if (needs) read_version_needs(file_.offset_of(*needs));
    }

    /// GNU symbol versioning: a chain of Verneed records, each with a chain of Vernaux records.
    void read_version_needs(std::optional<std::uint64_t> start) {
        if (!start) return;
        std::uint64_t at = *start;
        std::size_t records = 0;
        for (;;) {
            if (!inside(at, 16) || ++records > most_version_records) return;
            ElfVersionNeed need;
            need.library = string_at(word(at + 4));
            std::uint64_t version = at + word(at + 8);
            for (unsigned left = half(at + 2); left > 0 && inside(version, 16); --left) {
                if (++records > most_version_records) return;
                need.versions.push_back({string_at(word(version + 8)),
                                         (half(version + 4) & VER_FLG_WEAK) != 0,
                                         static_cast<std::uint16_t>(half(version + 6) & 0x7FFF)});
                if (word(version + 12) == 0) break;
                version += word(version + 12);
            }
            file_.version_needs.push_back(std::move(need));
            if (word(at + 12) == 0) return;
            at += word(at + 12);
        }
    }

    /// A chain of Verdef records; the name is in the first of each one's Verdaux records.
    void read_version_definitions(std::optional<std::uint64_t> start) {
        if (!start) return;
        std::uint64_t at = *start;
        for (std::size_t records = 0; inside(at, 20) && records < most_version_records; ++records) {
            // The first names the file itself.
            if ((half(at + 2) & VER_FLG_BASE) == 0)
                file_.defined_versions.push_back(string_at(word(at + word(at + 12))));
            if (word(at + 16) == 0) return;
            at += word(at + 16);
        }
    }

    std::string string_at(std::uint64_t index) {
        if (!strings_ || index >= strings_size_ || !inside(*strings_, strings_size_)) return {};
        return std::string(names_.text(*strings_ + index, *strings_ + strings_size_));
    }

    ByteSpan bytes_;
    ByteView view_;                ///< once the byte order is known
    NameReader names_{ByteView()}; ///< likewise
    std::string name_;
    ElfFile file_;
    std::optional<std::uint64_t> strings_;
    std::uint64_t strings_size_ = 0;
};

} // namespace

std::optional<std::uint64_t> ElfFile::offset_of(std::uint64_t address) const {
    for (const ElfSegment& segment : segments)
        if (segment.type == PT_LOAD && address >= segment.address &&
            address - segment.address < segment.file_size)
            return segment.offset + (address - segment.address);
    return std::nullopt;
}

std::optional<std::uint64_t> ElfFile::dynamic_value(std::uint64_t tag) const {
    for (const ElfDynamic& entry : dynamic)
        if (entry.tag == tag) return entry.value;
    return std::nullopt;
}

std::vector<std::string> missing_versions(const ElfVersionNeed& need, const ElfFile& library) {
    std::vector<std::string> missing;
    const auto& defined = library.defined_versions;
    for (const ElfVersionNeed::Version& version : need.versions)
        if (!version.weak && !defined.empty() && std::ranges::find(defined, version.name) == defined.end())
            missing.push_back(version.name);
    return missing;
}

bool looks_like_elf(ByteSpan bytes) {
    return bytes.size() >= EI_NIDENT && bytes[0] == ELFMAG0 && bytes[1] == ELFMAG1 && bytes[2] == ELFMAG2 &&
           bytes[3] == ELFMAG3;
}

Result<ElfFile> read_elf(ByteSpan bytes, const std::string& name) { return Reader(bytes, name).read(); }

} // namespace omnistasis::native
