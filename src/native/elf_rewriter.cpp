#include "native/elf_rewriter.h"

#include "native/elf_image.h"
#include "native/elf_reader.h"

#include <algorithm>
#include <array>
#include <elf.h>

namespace omnistasis::native {

namespace {

/// Up to here a segment's zeroed memory is written out rather than a segment added.
constexpr std::uint64_t little_zeroed_memory = 64u << 10;
#ifdef FUZZING_BUILD_MODE_UNSAFE_FOR_PRODUCTION
// A fuzzer would do little else than clear memory.
constexpr std::uint64_t most_zeroed_memory = 128u << 10, largest_alignment = 64u << 10;
#else
/// More is not written out at all: the file would grow by it.
constexpr std::uint64_t most_zeroed_memory = 64u << 20;
constexpr std::uint64_t largest_alignment = 2u << 20;
#endif
constexpr std::uint64_t highest_address = 1ull << 56;
/// A hostile file shall not make us look for ever.
constexpr std::uint64_t most_symbols = 1u << 20;

std::uint64_t align_up(std::uint64_t value, std::uint64_t to) { return (value + to - 1) / to * to; }

class Rewriter {
  public:
    Rewriter(ByteSpan file, ElfFile elf, const std::string& path, std::string name,
             const std::string& first_library)
        : image_(file, elf.is_64_bit, elf.little_endian), elf_(std::move(elf)), path_(path),
          name_(std::move(name)), first_library_(first_library) {}

    Result<Bytes> run() {
        if (!image_.read_headers()) return refuse("its program headers have an unknown size");
        auto& segments = image_.segments;
        for (std::size_t i = 0; i < segments.size(); ++i) {
            if (segments[i].type == PT_DYNAMIC) dynamic_ = i;
            if (segments[i].type != PT_LOAD) continue;
            if (segments[i].alignment > largest_alignment)
                return refuse("its segments are aligned to more than a page");
            if (segments[i].address >= highest_address || segments[i].memory_size >= highest_address ||
                segments[i].memory_size < segments[i].file_size || segments[i].offset >= highest_address)
                return refuse("the size and place of a segment are not possible");
            if (!last_ || segments[i].address > segments[*last_].address) last_ = i;
            if (!first_ || segments[i].address < segments[*first_].address) first_ = i;
        }
        if (!dynamic_ || !last_) return refuse("it has no dynamic section");
        auto table = elf_.offset_of(elf_.dynamic_value(DT_STRTAB).value_or(0));
        std::uint64_t size = elf_.dynamic_value(DT_STRSZ).value_or(0);
        if (!table || !image_.view().holds(*table, size))
            return refuse("its string table is not in the file");
        if (first_library_.empty() && write_in_place(*table, size)) return std::move(image_.bytes);

        strings_.assign(image_.bytes.begin() + static_cast<std::ptrdiff_t>(*table),
                        image_.bytes.begin() + static_cast<std::ptrdiff_t>(*table + size));
        set_entries(strings_.size());
        strings_.insert(strings_.end(), path_.begin(), path_.end());
        strings_.push_back(0);
        strings_.insert(strings_.end(), first_library_.begin(), first_library_.end());
        strings_.push_back(0);
        moves_ = entries_.size() > segments[*dynamic_].file_size / image_.dynamic_size();

        const ElfSegment& last = segments[*last_];
        std::uint64_t zeroed = last.memory_size - last.file_size;
        bool may_grow = zeroed <= most_zeroed_memory && (!moves_ || (last.flags & PF_W) != 0) &&
                        last.offset + last.file_size <= image_.bytes.size();
        // Mostly nothing changes its address then, and no program header has to move.
        if (may_grow && zeroed <= little_zeroed_memory) return grow_last_segment();
        if (add_segment()) return std::move(image_.bytes);
        if (may_grow) return grow_last_segment();
        return refuse("there is no room for the path in any segment, nor for a segment more");
    }

  private:
    tl::unexpected<Error> refuse(const std::string& why) const {
        return fail(ErrorKind::bad_input, "can't set the library search path of the file", name_, why,
                    "leave it out with --exclude, or ship another build of it");
    }

    /// Overwrites the old path where it has the room and nothing else is named by a part of it: linkers let
    /// the names of symbols end in one another.
    bool write_in_place(std::uint64_t table, std::uint64_t size) {
        std::optional<std::size_t> entry;
        for (std::size_t i = 0; i < elf_.dynamic.size(); ++i)
            if (elf_.dynamic[i].tag == DT_RPATH || elf_.dynamic[i].tag == DT_RUNPATH) {
                if (entry) return false;
                entry = i;
            }
        if (!entry) return false;
        std::uint64_t start = elf_.dynamic[*entry].value;
        const std::string& old = elf_.rpath ? *elf_.rpath : *elf_.runpath;
        bool fits = path_.size() <= old.size() && start > 0 && start + old.size() < size &&
                    image_.view().byte(table + start - 1) == 0;
        auto is_inside = [&](std::uint64_t offset) {
            return offset >= start && offset <= start + old.size();
        };
        if (!fits || names_something_in(is_inside)) return false;
        for (std::size_t i = 0; i <= old.size(); ++i)
            image_.bytes[table + start + i] = i < path_.size() ? static_cast<std::uint8_t>(path_[i]) : 0;
        std::uint64_t at = image_.segments[*dynamic_].offset + *entry * image_.dynamic_size();
        image_.put(at, DT_RPATH, image_.word_size());
        return true;
    }

    /// Whether a name besides the search path begins at an offset of the string table that fits. True where
    /// that can't be told.
    template <typename Fits> bool names_something_in(Fits fits) const {
        for (const ElfDynamic& one : elf_.dynamic)
            if ((one.tag == DT_NEEDED || one.tag == DT_SONAME || one.tag == DT_AUXILIARY ||
                 one.tag == DT_FILTER || one.tag == DT_CONFIG || one.tag == DT_DEPAUDIT ||
                 one.tag == DT_AUDIT) &&
                fits(one.value))
                return true;
        const ByteView view = image_.view();
        auto place = [&](std::uint64_t tag) {
            auto address = elf_.dynamic_value(tag);
            return address ? elf_.offset_of(*address) : std::nullopt;
        };
        auto symbols = place(DT_SYMTAB), count = symbol_count(place(DT_HASH), place(DT_GNU_HASH));
        if (!symbols || !count || *count > most_symbols) return true;
        std::uint64_t size = elf_.is_64_bit ? sizeof(Elf64_Sym) : sizeof(Elf32_Sym);
        for (std::uint64_t i = 0; i < *count; ++i)
            if (fits(view.word(*symbols + i * size))) return true;
        // Records of versions lead from one to the next, with names of versions and of files in them.
        for (auto [tag, name_at, next_at, first_at, inner_name, inner_next] :
             {std::array<std::uint64_t, 6>{DT_VERNEED, 4, 12, 8, 8, 12}, {DT_VERDEF, ~0ull, 16, 12, 0, 4}})
            if (auto at = place(tag)) {
                std::uint64_t left = most_symbols;
                for (std::uint64_t record = *at, step = 1; step != 0 && left-- > 0; record += step) {
                    if (name_at != ~0ull && fits(view.word(record + name_at))) return true;
                    for (std::uint64_t inner = record + view.word(record + first_at), next = 1;
                         next != 0 && left-- > 0; inner += next) {
                        if (fits(view.word(inner + inner_name))) return true;
                        next = view.word(inner + inner_next);
                    }
                    step = view.word(record + next_at);
                }
            }
        return false;
    }

    std::optional<std::uint64_t> symbol_count(std::optional<std::uint64_t> hash,
                                              std::optional<std::uint64_t> gnu_hash) const {
        const ByteView view = image_.view();
        if (hash) return view.word(*hash + 4);
        if (!gnu_hash) return std::nullopt;
        std::uint64_t buckets = view.word(*gnu_hash), first = view.word(*gnu_hash + 4),
                      bloom = view.word(*gnu_hash + 8);
        std::uint64_t bucket = *gnu_hash + 16 + bloom * image_.word_size(), highest = 0;
        if (buckets > most_symbols) return std::nullopt;
        for (std::uint64_t i = 0; i < buckets; ++i)
            highest = std::max<std::uint64_t>(highest, view.word(bucket + 4 * i));
        if (highest < first) return first;
        // The last chain ends with an odd value.
        std::uint64_t chain = bucket + 4 * buckets;
        while (view.holds(chain + 4 * (highest - first), 4) &&
               (view.word(chain + 4 * (highest - first)) & 1) == 0)
            ++highest;
        return highest + 1;
    }

    void set_entries(std::uint64_t path_index) {
        if (!first_library_.empty()) entries_.push_back({DT_NEEDED, path_index + path_.size() + 1});
        for (const ElfDynamic& old : elf_.dynamic)
            if (old.tag != DT_RPATH && old.tag != DT_RUNPATH) entries_.push_back(old);
        entries_.push_back({DT_RPATH, path_index});
        entries_.push_back({DT_NULL, 0});
    }

    /// The dynamic section's bytes, for a string table at an address.
    Bytes entry_bytes(std::uint64_t strings_address) const {
        ElfImage made(ByteSpan(), elf_.is_64_bit, elf_.little_endian);
        made.bytes.resize(entries_.size() * image_.dynamic_size());
        std::uint64_t at = 0;
        for (const ElfDynamic& entry : entries_) {
            std::uint64_t value = entry.tag == DT_STRTAB  ? strings_address
                                  : entry.tag == DT_STRSZ ? strings_.size()
                                                          : entry.value;
            made.put(at, entry.tag, image_.word_size());
            made.put(at + image_.word_size(), value, image_.word_size());
            at += image_.dynamic_size();
        }
        return std::move(made.bytes);
    }

    void put_entries_in_place(const Bytes& entries) {
        const ElfSegment& dynamic = image_.segments[*dynamic_];
        std::fill_n(image_.bytes.begin() + static_cast<std::ptrdiff_t>(dynamic.offset), dynamic.file_size,
                    std::uint8_t(0));
        std::ranges::copy(entries, image_.bytes.begin() + static_cast<std::ptrdiff_t>(dynamic.offset));
    }

    void move_dynamic(std::uint64_t address, std::uint64_t offset, std::uint64_t size) {
        ElfSegment& dynamic = image_.segments[*dynamic_];
        dynamic.address = dynamic.physical_address = address;
        dynamic.offset = offset;
        dynamic.file_size = dynamic.memory_size = size;
    }

    /// Puts strings and entries behind the last segment's memory; that segment grows, with its zeroed part
    /// written out.
    Bytes grow_last_segment() {
        ElfSegment& last = image_.segments[*last_];
        std::uint64_t file_end = last.address + last.file_size, at = last.offset + last.file_size;
        std::uint64_t strings = align_up(last.address + last.memory_size, 16);
        std::uint64_t dynamic = align_up(strings + strings_.size(), 16);
        Bytes entries = entry_bytes(strings);
        if (!moves_) put_entries_in_place(entries);
        Bytes added((moves_ ? dynamic + entries.size() : strings + strings_.size()) - file_end, 0);
        std::ranges::copy(strings_, added.begin() + static_cast<std::ptrdiff_t>(strings - file_end));
        if (moves_)
            std::ranges::copy(entries, added.begin() + static_cast<std::ptrdiff_t>(dynamic - file_end));

        // Loaded segments behind keep their place within a page.
        std::uint64_t step = 64;
        for (const ElfSegment& segment : image_.segments)
            if (segment.type == PT_LOAD && segment.offset >= at)
                step = std::max<std::uint64_t>(step, segment.alignment);
        std::uint64_t shift = align_up(added.size(), step);
        Bytes inserted = added;
        inserted.resize(shift, 0);
        image_.bytes.insert(image_.bytes.begin() + static_cast<std::ptrdiff_t>(at), inserted.begin(),
                            inserted.end());
        last.file_size += added.size();
        last.memory_size = std::max(last.memory_size, last.file_size);
        for (std::size_t i = 0; i < image_.segments.size(); ++i) {
            ElfSegment& segment = image_.segments[i];
            if (i != *last_ && segment.offset >= at && segment.file_size > 0) segment.offset += shift;
        }
        if (moves_) move_dynamic(dynamic, at + (dynamic - file_end), entries.size());
        if (image_.segment_table >= at) image_.segment_table += shift;
        if (image_.section_table >= at) image_.section_table += shift;
        for (ElfSection& section : image_.sections) {
            bool zeroed_part = section.type == SHT_NOBITS && (section.flags & SHF_ALLOC) != 0 &&
                               (section.flags & SHF_TLS) == 0 && section.address >= file_end &&
                               section.address < strings;
            if (zeroed_part) {
                section.type = SHT_PROGBITS;
                section.offset = at + (section.address - file_end);
            } else if (section.type != SHT_NOBITS && section.offset >= at) {
                section.offset += shift;
            }
        }
        tell_sections(strings, at + (strings - file_end));
        image_.write_headers();
        return std::move(image_.bytes);
    }

    /// Puts strings and entries into a segment of their own at the end of the file, together with the program
    /// headers, which have one more.
    bool add_segment() {
        auto& segments = image_.segments;
        std::uint64_t page = 0x1000, end = 0;
        for (const ElfSegment& segment : segments)
            if (segment.type == PT_LOAD) {
                page = std::max(page, segment.alignment);
                end = std::max(end, segment.address + segment.memory_size);
            }
        if ((page & (page - 1)) != 0 || segments.size() >= PN_XNUM - 1) return false;
        std::uint64_t offset = align_up(image_.bytes.size(), 64);
        std::uint64_t address = align_up(end, page) + offset % page;
        // A kernel before Linux 5.18 tells a program that its headers are as far from its first segment in
        // memory as they are in the file.
        bool is_program = !elf_.interpreter.empty() || elf_.type == ET_EXEC;
        if (is_program) {
            std::uint64_t distance = segments[*first_].address - segments[*first_].offset;
            address = std::max(address, align_up(offset, page) + distance);
            offset = address - distance;
            if (offset > image_.bytes.size() + most_zeroed_memory) return false;
        }
        std::uint64_t headers_size = (segments.size() + 1) * image_.segment_size();
        std::uint64_t strings = align_up(address + headers_size, 16);
        std::uint64_t dynamic = align_up(strings + strings_.size(), 16);
        Bytes entries = entry_bytes(strings);
        if (!moves_) put_entries_in_place(entries);
        std::uint64_t size = (moves_ ? dynamic + entries.size() : strings + strings_.size()) - address;
        if (!elf_.is_64_bit && address + size > 0xFFFFFFFF) return false;
        image_.bytes.resize(offset + size, 0);
        auto place = [&](std::uint64_t at) {
            return image_.bytes.begin() + static_cast<std::ptrdiff_t>(offset + (at - address));
        };
        std::ranges::copy(strings_, place(strings));
        if (moves_) {
            std::ranges::copy(entries, place(dynamic));
            move_dynamic(dynamic, offset + (dynamic - address), entries.size());
        }
        for (ElfSegment& segment : segments)
            if (segment.type == PT_PHDR) {
                segment.offset = offset;
                segment.address = segment.physical_address = address;
                segment.file_size = segment.memory_size = headers_size;
            }
        segments.push_back({PT_LOAD, PF_R | PF_W, offset, address, size, size, page, address});
        image_.segment_table = offset;
        tell_sections(strings, offset + (strings - address));
        image_.write_headers();
        return true;
    }

    /// Section headers are not needed to run, but debuggers and other tools read them.
    void tell_sections(std::uint64_t strings_address, std::uint64_t strings_offset) {
        const ElfSegment& dynamic = image_.segments[*dynamic_];
        for (ElfSection& section : image_.sections) {
            if (section.type != SHT_DYNAMIC) continue;
            if (moves_) {
                section.address = dynamic.address;
                section.offset = dynamic.offset;
                section.size = dynamic.file_size;
            }
            if (section.link == 0 || section.link >= image_.sections.size()) continue;
            ElfSection& strings = image_.sections[section.link];
            strings.address = strings_address;
            strings.offset = strings_offset;
            strings.size = strings_.size();
        }
    }

    ElfImage image_;
    ElfFile elf_;
    const std::string& path_;
    std::string name_;
    std::string first_library_;
    std::optional<std::size_t> dynamic_, first_, last_; ///< segments
    Bytes strings_;
    std::vector<ElfDynamic> entries_;
    bool moves_ = false; ///< the dynamic section has no room for one entry more
};

} // namespace

Result<Bytes> with_search_path(ByteSpan file, const std::string& search_path, const std::string& name,
                               const std::string& first_library) {
    auto elf = read_elf(file, name);
    if (!elf) return pass_on(elf);
    if (elf->rpath == search_path && !elf->runpath && first_library.empty())
        return Bytes(file.begin(), file.end());
    return Rewriter(file, std::move(*elf), search_path, name, first_library).run();
}

} // namespace omnistasis::native
