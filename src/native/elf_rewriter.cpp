#include "native/elf_rewriter.h"

#include "native/elf_reader.h"

#include <algorithm>
#include <cstring>
#include <elf.h>
#include <fmt/format.h>

namespace omnistasis::native {

namespace {

/// More zeroed memory than this is not written out: the file would grow by it.
constexpr std::uint64_t most_zeroed_memory = 64u << 20;

template <typename T> T load(const Bytes& bytes, std::uint64_t offset) {
    T value{};
    if (offset <= bytes.size() && sizeof(T) <= bytes.size() - offset)
        std::memcpy(&value, bytes.data() + offset, sizeof(T));
    return value;
}

template <typename T> void store(Bytes& bytes, std::uint64_t offset, const T& value) {
    if (offset <= bytes.size() && sizeof(T) <= bytes.size() - offset)
        std::memcpy(bytes.data() + offset, &value, sizeof(T));
}

std::uint64_t align_up(std::uint64_t value, std::uint64_t to) { return (value + to - 1) / to * to; }

class Rewriter {
  public:
    Rewriter(ByteSpan file, ElfFile elf, const std::string& path, std::string name)
        : bytes_(file.begin(), file.end()), elf_(std::move(elf)), path_(path), name_(std::move(name)) {}

    Result<Bytes> run() {
        if (!elf_.is_64_bit || !elf_.little_endian) return refuse("it is no 64-bit little-endian file");
        header_ = load<Elf64_Ehdr>(bytes_, 0);
        if (header_.e_phentsize != sizeof(Elf64_Phdr))
            return refuse("its program headers have an unknown size");
        for (unsigned i = 0; i < header_.e_phnum; ++i)
            segments_.push_back(load<Elf64_Phdr>(bytes_, header_.e_phoff + i * sizeof(Elf64_Phdr)));
        for (std::size_t i = 0; i < segments_.size(); ++i) {
            if (segments_[i].p_type == PT_DYNAMIC) dynamic_ = i;
            if (segments_[i].p_type == PT_LOAD &&
                (!last_ || segments_[i].p_vaddr > segments_[*last_].p_vaddr))
                last_ = i;
        }
        if (!dynamic_ || !last_) return refuse("it has no dynamic section");

        auto strings = old_strings();
        if (!strings) return tl::make_unexpected(strings.error());
        std::uint64_t path_index = strings->size();
        strings->insert(strings->end(), path_.begin(), path_.end());
        strings->push_back(0);
        std::vector<Elf64_Dyn> entries = new_entries(path_index);

        Elf64_Phdr& last = segments_[*last_];
        constexpr std::uint64_t highest_address = 1ull << 56;
        if (last.p_vaddr >= highest_address || last.p_memsz >= highest_address ||
            last.p_memsz < last.p_filesz)
            return refuse("its last segment's size and place are not possible");
        constexpr std::uint64_t largest_page = 2u << 20;
        for (const Elf64_Phdr& segment : segments_)
            if (segment.p_type == PT_LOAD && segment.p_align > largest_page)
                return refuse("its segments are aligned to more than a page");
        std::uint64_t end_of_file_part = last.p_vaddr + last.p_filesz;
        std::uint64_t strings_address = align_up(last.p_vaddr + last.p_memsz, 16);
        std::uint64_t dynamic_address = align_up(strings_address + strings->size(), 16);
        std::uint64_t capacity = segments_[*dynamic_].p_filesz / sizeof(Elf64_Dyn);
        bool moves = entries.size() > capacity;
        bool writable = (last.p_flags & PF_W) != 0;
        if (last.p_memsz - last.p_filesz > most_zeroed_memory)
            return refuse("its last segment is too large to grow");
        if (moves && !writable) return refuse("its dynamic section has no room and can't move");

        for (Elf64_Dyn& entry : entries) {
            if (entry.d_tag == DT_STRTAB) entry.d_un.d_ptr = strings_address;
            if (entry.d_tag == DT_STRSZ) entry.d_un.d_val = strings->size();
        }
        std::uint64_t end =
            moves ? dynamic_address + entries.size() * sizeof(Elf64_Dyn) : strings_address + strings->size();
        Bytes added(end - end_of_file_part, 0);
        std::copy(strings->begin(), strings->end(),
                  added.begin() + static_cast<std::ptrdiff_t>(strings_address - end_of_file_part));
        auto* entry_bytes = reinterpret_cast<const std::uint8_t*>(entries.data());
        std::size_t entries_size = entries.size() * sizeof(Elf64_Dyn);
        if (moves) {
            std::copy(entry_bytes, entry_bytes + entries_size,
                      added.begin() + static_cast<std::ptrdiff_t>(dynamic_address - end_of_file_part));
        } else {
            auto start = bytes_.begin() + static_cast<std::ptrdiff_t>(segments_[*dynamic_].p_offset);
            std::copy(entry_bytes, entry_bytes + entries_size, start);
            std::fill(start + static_cast<std::ptrdiff_t>(entries_size),
                      start + static_cast<std::ptrdiff_t>(capacity * sizeof(Elf64_Dyn)), std::uint8_t(0));
        }
        insert(added, end_of_file_part, strings_address, strings->size(), moves ? dynamic_address : 0,
               entries_size);
        return std::move(bytes_);
    }

  private:
    tl::unexpected<Error> refuse(const std::string& why) const {
        return fail(ErrorKind::bad_input, "can't set the library search path of the file", name_, why,
                    "leave it out with --exclude, or ship another build of it");
    }

    Result<Bytes> old_strings() const {
        auto offset = elf_.offset_of(elf_.dynamic_value(DT_STRTAB).value_or(0));
        std::uint64_t size = elf_.dynamic_value(DT_STRSZ).value_or(0);
        if (offset && *offset <= bytes_.size() && size <= bytes_.size() - *offset)
            return Bytes(bytes_.begin() + static_cast<std::ptrdiff_t>(*offset),
                         bytes_.begin() + static_cast<std::ptrdiff_t>(*offset + size));
        return refuse("its string table is not in the file");
    }

    std::vector<Elf64_Dyn> new_entries(std::uint64_t path_index) const {
        std::vector<Elf64_Dyn> entries;
        for (const ElfDynamic& old : elf_.dynamic) {
            if (old.tag == DT_RPATH || old.tag == DT_RUNPATH) continue;
            Elf64_Dyn entry{};
            entry.d_tag = static_cast<Elf64_Sxword>(old.tag);
            entry.d_un.d_val = old.value;
            entries.push_back(entry);
        }
        Elf64_Dyn rpath{};
        rpath.d_tag = DT_RPATH;
        rpath.d_un.d_val = path_index;
        entries.push_back(rpath);
        entries.push_back({});
        return entries;
    }

    /// Puts `added` at the end of the last segment's bytes and moves what follows it in the file.
    void insert(const Bytes& added, std::uint64_t added_address, std::uint64_t strings_address,
                std::uint64_t strings_size, std::uint64_t dynamic_address, std::uint64_t dynamic_size) {
        Elf64_Phdr& last = segments_[*last_];
        std::uint64_t at = last.p_offset + last.p_filesz;
        auto offset_of = [&](std::uint64_t address) { return at + (address - added_address); };
        // Loaded segments behind keep their place within a page.
        std::uint64_t step = 64;
        for (const Elf64_Phdr& segment : segments_)
            if (segment.p_type == PT_LOAD && segment.p_offset >= at)
                step = std::max<std::uint64_t>(step, segment.p_align);
        std::uint64_t shift = align_up(added.size(), step);

        Bytes inserted = added;
        inserted.resize(shift, 0);
        bytes_.insert(bytes_.begin() + static_cast<std::ptrdiff_t>(at), inserted.begin(), inserted.end());
        last.p_filesz += added.size();
        last.p_memsz = std::max<std::uint64_t>(last.p_memsz, last.p_filesz);
        for (std::size_t i = 0; i < segments_.size(); ++i)
            if (i != *last_ && segments_[i].p_offset >= at && segments_[i].p_filesz > 0)
                segments_[i].p_offset += shift;
        if (dynamic_address != 0) {
            Elf64_Phdr& dynamic = segments_[*dynamic_];
            dynamic.p_vaddr = dynamic.p_paddr = dynamic_address;
            dynamic.p_offset = offset_of(dynamic_address);
            dynamic.p_filesz = dynamic.p_memsz = dynamic_size;
        }
        if (header_.e_phoff >= at) header_.e_phoff += shift;
        if (header_.e_shoff >= at) header_.e_shoff += shift;
        store(bytes_, 0, header_);
        for (std::size_t i = 0; i < segments_.size(); ++i)
            store(bytes_, header_.e_phoff + i * sizeof(Elf64_Phdr), segments_[i]);
        update_sections(at, shift, added_address, strings_address, strings_size, dynamic_address,
                        dynamic_size);
    }

    /// Section headers are not needed to run, but debuggers and other tools read them.
    void update_sections(std::uint64_t at, std::uint64_t shift, std::uint64_t added_address,
                         std::uint64_t strings_address, std::uint64_t strings_size,
                         std::uint64_t dynamic_address, std::uint64_t dynamic_size) {
        if (header_.e_shoff == 0 || header_.e_shentsize != sizeof(Elf64_Shdr)) return;
        auto section_at = [&](std::uint64_t index) { return header_.e_shoff + index * sizeof(Elf64_Shdr); };
        std::uint64_t strings_index = 0;
        for (std::uint64_t i = 0; i < header_.e_shnum; ++i) {
            auto section = load<Elf64_Shdr>(bytes_, section_at(i));
            if (section.sh_type == SHT_NOBITS) {
                bool zeroed_part = (section.sh_flags & SHF_ALLOC) != 0 && (section.sh_flags & SHF_TLS) == 0 &&
                                   section.sh_addr >= added_address && section.sh_addr < strings_address;
                if (zeroed_part) {
                    section.sh_type = SHT_PROGBITS;
                    section.sh_offset = at + (section.sh_addr - added_address);
                }
            } else if (section.sh_offset >= at) {
                section.sh_offset += shift;
            }
            if (section.sh_type == SHT_DYNAMIC) {
                strings_index = section.sh_link;
                if (dynamic_address != 0) {
                    section.sh_addr = dynamic_address;
                    section.sh_offset = at + (dynamic_address - added_address);
                    section.sh_size = dynamic_size;
                }
            }
            store(bytes_, section_at(i), section);
        }
        if (strings_index == 0 || strings_index >= header_.e_shnum) return;
        auto strings = load<Elf64_Shdr>(bytes_, section_at(strings_index));
        strings.sh_addr = strings_address;
        strings.sh_offset = at + (strings_address - added_address);
        strings.sh_size = strings_size;
        store(bytes_, section_at(strings_index), strings);
    }

    Bytes bytes_;
    ElfFile elf_;
    const std::string& path_;
    std::string name_;
    Elf64_Ehdr header_{};
    std::vector<Elf64_Phdr> segments_;
    std::optional<std::size_t> dynamic_;
    std::optional<std::size_t> last_;
};

} // namespace

Result<Bytes> with_search_path(ByteSpan file, const std::string& search_path, const std::string& name) {
    auto elf = read_elf(file, name);
    if (!elf) return tl::make_unexpected(elf.error());
    if (elf->rpath == search_path && !elf->runpath) return Bytes(file.begin(), file.end());
    return Rewriter(file, std::move(*elf), search_path, name).run();
}

} // namespace omnistasis::native
