#include "native/pe_reader.h"

#include "support/byte_view.h"
#include "support/utf8.h"

#include <algorithm>
#include <charconv>
#include <fmt/format.h>
#include <optional>

namespace omnistasis::native {

namespace {

// No real file has more; a hostile one shall not make us allocate for its numbers.
constexpr std::size_t most_sections = 1024;
constexpr std::size_t most_libraries = 4096;
constexpr std::size_t most_functions = 1u << 17;
constexpr std::size_t most_resources = 1u << 14;
constexpr std::size_t longest_pe_name = 1024;

/// Data directories (optional header), by number.
enum Directory : unsigned {
    exports_directory = 0,
    imports_directory = 1,
    resources_directory = 2,
    certificates_directory = 4,
    delayed_directory = 13
};

class Reader {
  public:
    Reader(ByteSpan bytes, std::string name) : view_(bytes), names_(view_), name_(std::move(name)) {}

    Result<PeFile> read() {
        std::uint64_t header = view_.word(0x3C);
        if (!view_.holds(header, 24) || view_.word(header) != 0x4550) return error("has no PE header", 0x3C);
        file_.machine = view_.half(header + 4);
        std::size_t section_count = view_.half(header + 6);
        file_.timestamp = view_.word(header + 8);
        Range symbols{view_.word(header + 12), view_.word(header + 16)};
        std::uint64_t optional_size = view_.half(header + 20);
        file_.is_library = (view_.half(header + 22) & 0x2000) != 0;
        std::uint64_t optional = header + 24;
        std::uint16_t magic = view_.half(optional);
        if (magic != 0x10B && magic != 0x20B)
            return error("has an unknown kind of optional header", optional);
        file_.is_64_bit = magic == 0x20B;
        std::uint64_t directories = optional + (file_.is_64_bit ? 112 : 96);
        if (!view_.holds(optional, optional_size) || directories > optional + optional_size)
            return error("ends within its headers", optional);
        file_.checksum = view_.word(optional + 64);
        file_.subsystem = view_.half(optional + 68);
        file_.oldest_major = view_.half(optional + 48);
        file_.oldest_minor = view_.half(optional + 50);
        file_.characteristics = view_.half(optional + 70);
        directory_count_ = view_.word(directories - 4);
        directories_ = directories;
        directories_end_ = optional + optional_size;
        if (section_count > most_sections) return error("has too many sections", header + 6);
        std::uint64_t sections = optional + optional_size;
        if (!view_.holds(sections, section_count * 40))
            return error("ends within its section headers", sections);
        for (std::size_t i = 0; i < section_count; ++i) {
            std::uint64_t at = sections + i * 40;
            file_.sections.emplace_back(section_name(at, symbols));
            sections_.push_back({view_.word(at + 12), std::max(view_.word(at + 8), view_.word(at + 16)),
                                 view_.word(at + 20), view_.word(at + 16)});
        }
        read_exports();
        read_imports();
        read_delayed_imports();
        read_resources();
        // Certificates are found by an offset in the file, not by an address.
        auto certificates = directory(certificates_directory);
        file_.is_signed = certificates.size > 8 && view_.holds(certificates.address, certificates.size);
        return std::move(file_);
    }

  private:
    struct Section {
        std::uint32_t address, size, offset, stored;
    };
    struct Range {
        std::uint64_t address = 0, size = 0;
    };

    tl::unexpected<Error> error(const std::string& what, std::uint64_t offset) const {
        return fail(ErrorKind::bad_input, fmt::format("the file {}", what), name_,
                    fmt::format("at byte {}", offset), "the file is damaged or was cut off: get it anew");
    }

    /// Eight bytes; or `/` and an offset in the table of strings, which is behind that of symbols: GNU
    /// linkers write long names of sections as those are written in objects. `symbols`: offset and number of
    /// entries.
    std::string_view section_name(std::uint64_t at, Range symbols) {
        std::string_view name = view_.text(at, at + 8);
        std::uint64_t offset = 0;
        if (symbols.address == 0 || !name.starts_with('/') ||
            std::from_chars(name.data() + 1, name.data() + name.size(), offset).ec != std::errc())
            return name;
        std::uint64_t text = symbols.address + 18 * symbols.size + offset;
        std::string_view long_name = names_.text(text, text + longest_pe_name);
        return long_name.empty() ? name : long_name;
    }

    Range directory(unsigned number) const {
        std::uint64_t at = directories_ + number * 8;
        if (number >= directory_count_ || at + 8 > directories_end_) return {};
        return {view_.word(at), view_.word(at + 4)};
    }

    /// A relative virtual address as an offset in the file.
    std::optional<std::uint64_t> offset_of(std::uint64_t address) const {
        for (const Section& section : sections_)
            if (address >= section.address && address - section.address < section.size) {
                std::uint64_t inner = address - section.address;
                if (inner >= section.stored) return std::nullopt;
                return section.offset + inner;
            }
        return address < 0x400 && view_.holds(address, 1) ? std::optional(address) : std::nullopt;
    }

    std::string_view text_at(std::uint64_t address) {
        auto offset = offset_of(address);
        return offset ? names_.text(*offset, *offset + longest_pe_name) : std::string_view();
    }

    void read_exports() {
        Range range = directory(exports_directory);
        auto at = range.size == 0 ? std::nullopt : offset_of(range.address);
        if (!at || !view_.holds(*at, 40)) return;
        file_.export_name = text_at(view_.word(*at + 12));
        auto names = offset_of(view_.word(*at + 32));
        std::size_t count = std::min<std::size_t>(view_.word(*at + 24), most_functions);
        for (std::size_t i = 0; names && i < count && view_.holds(*names + i * 4, 4); ++i) {
            std::string_view name = text_at(view_.word(*names + i * 4));
            if (names_.is_used_up()) return;
            if (!name.empty()) file_.exports.push_back(name);
        }
    }

    /// An import table: 4 or 8 bytes an entry, ended by 0.
    std::vector<PeFunction> read_functions(std::uint64_t address) {
        std::vector<PeFunction> functions;
        auto at = offset_of(address);
        unsigned width = file_.is_64_bit ? 8 : 4;
        std::uint64_t by_number = 1ull << (8 * width - 1);
        for (std::uint64_t i = 0; at && functions_ < most_functions && view_.holds(*at + i * width, width);
             ++i) {
            std::uint64_t entry = view_.number(*at + i * width, width);
            if (entry == 0 || names_.is_used_up()) break;
            ++functions_;
            if ((entry & by_number) != 0)
                functions.push_back({{}, static_cast<std::uint16_t>(entry)});
            else
                functions.push_back({text_at((entry & 0x7FFFFFFF) + 2), 0});
        }
        return functions;
    }

    void read_imports() {
        Range range = directory(imports_directory);
        auto at = range.size == 0 ? std::nullopt : offset_of(range.address);
        for (std::size_t i = 0; at && i < most_libraries && view_.holds(*at + i * 20, 20); ++i) {
            std::uint64_t entry = *at + i * 20;
            std::uint32_t names = view_.word(entry), library = view_.word(entry + 12),
                          addresses = view_.word(entry + 16);
            if (library == 0 || names_.is_used_up()) break;
            file_.imports.push_back(
                {std::string(text_at(library)), read_functions(names != 0 ? names : addresses), false});
        }
    }

    void read_delayed_imports() {
        Range range = directory(delayed_directory);
        auto at = range.size == 0 ? std::nullopt : offset_of(range.address);
        for (std::size_t i = 0; at && i < most_libraries && view_.holds(*at + i * 32, 32); ++i) {
            std::uint64_t entry = *at + i * 32;
            std::uint32_t library = view_.word(entry + 4);
            if (library == 0 || names_.is_used_up()) break;
            file_.imports.push_back(
                {std::string(text_at(library)), read_functions(view_.word(entry + 16)), true});
        }
    }

    // --- resources ----------------------------------------------------------------------------------------

    void read_resources() {
        Range range = directory(resources_directory);
        auto at = range.size == 0 ? std::nullopt : offset_of(range.address);
        if (!at) return;
        resources_ = *at;
        read_folder(*at, 0, {}, {});
        for (const PeResource& resource : file_.resources) {
            ByteSpan data = view_.part(resource.offset, resource.size);
            if (resource.type == "14" && file_.icons.empty()) read_icons(ByteView(data));
            if (resource.type == "16" && file_.version.empty()) read_version(ByteView(data));
            if (resource.type == "24" && file_.manifest.empty()) file_.manifest = as_text(data);
        }
    }

    /// A level of the resource tree: type, name, language.
    void read_folder(std::uint64_t at, unsigned level, const std::string& type, const std::string& name) {
        if (level > 2 || !view_.holds(at, 16)) return;
        std::size_t count = std::size_t(view_.half(at + 12)) + view_.half(at + 14);
        for (std::size_t i = 0; i < count && view_.holds(at + 16 + i * 8, 8); ++i) {
            // Each takes eight bytes, unless folders lie over each other.
            if (++entries_ > std::min<std::uint64_t>(most_resources, view_.size() / 8)) return;
            std::uint32_t id = view_.word(at + 16 + i * 8), to = view_.word(at + 20 + i * 8);
            std::string word =
                (id & 0x80000000) != 0
                    ? wide_text(ByteView(view_.part(resources_ + (id & 0x7FFFFFFF), 2 + 2 * longest_pe_name)))
                    : std::to_string(id);
            std::uint64_t target = resources_ + (to & 0x7FFFFFFF);
            if ((to & 0x80000000) != 0) {
                read_folder(target, level + 1, level == 0 ? word : type, level == 1 ? word : name);
            } else if (view_.holds(target, 16)) {
                auto offset = offset_of(view_.word(target));
                if (offset && view_.holds(*offset, view_.word(target + 4)))
                    file_.resources.push_back(
                        {type, name, id, static_cast<std::uint32_t>(*offset), view_.word(target + 4)});
            }
        }
    }

    /// A text of a counted number of UTF-16 units. Only for names: what is not ASCII is a question mark.
    static std::string wide_text(const ByteView& view) {
        std::string text;
        for (std::uint64_t i = 0; i < view.half(0) && view.holds(2 + 2 * i, 2); ++i)
            text += ascii(view.half(2 + 2 * i));
        return text;
    }
    static char ascii(std::uint16_t unit) { return unit < 0x80 ? static_cast<char>(unit) : '?'; }

    void read_icons(const ByteView& group) {
        for (std::uint64_t i = 0; i < group.half(4) && group.holds(6 + i * 14, 14); ++i) {
            std::uint64_t at = 6 + i * 14;
            auto edge = [](unsigned value) { return value == 0 ? 256u : value; };
            file_.icons.push_back({edge(group.byte(at)), edge(group.byte(at + 1)), group.half(at + 6)});
        }
    }

    /// A UTF-16 text ended by 0, as UTF-8; `at` is moved behind it.
    static std::string utf8_text(const ByteView& view, std::uint64_t& at, std::uint64_t end) {
        std::string text;
        for (; at + 2 <= end && view.holds(at, 2); at += 2) {
            std::uint32_t unit = view.half(at);
            if (unit == 0) {
                at += 2;
                break;
            }
            if (unit >= 0xD800 && unit < 0xDC00 && at + 4 <= end && view.holds(at + 2, 2)) {
                std::uint32_t low = view.half(at + 2);
                if (low >= 0xDC00 && low < 0xE000) {
                    unit = 0x10000 + ((unit - 0xD800) << 10) + (low - 0xDC00);
                    at += 2;
                }
            }
            append_utf8(text, unit);
        }
        return text;
    }

    /// VS_VERSIONINFO: blocks of length, value length, kind, name, value, blocks inside; each on a multiple
    /// of 4.
    void read_version(const ByteView& view) {
        read_version_block(view, 0, std::min<std::uint64_t>(view.half(0), view.size()), 0);
    }

    void read_version_block(const ByteView& view, std::uint64_t start, std::uint64_t end, unsigned depth) {
        if (depth > 3 || start + 6 > end) return;
        std::uint64_t value_length = view.half(start + 2);
        bool is_text = view.half(start + 4) == 1;
        std::uint64_t at = start + 6;
        std::string name = utf8_text(view, at, end);
        at = (at + 3) / 4 * 4;
        if (depth == 0) {
            if (value_length >= 52 && view.word(at) == 0xFEEF04BD) {
                std::uint32_t high = view.word(at + 8), low = view.word(at + 12);
                file_.version["(file)"] =
                    fmt::format("{}.{}.{}.{}", high >> 16, high & 0xFFFF, low >> 16, low & 0xFFFF);
            }
            at = (at + value_length + 3) / 4 * 4;
        } else if (depth == 3) {
            std::uint64_t text = at;
            if (is_text)
                file_.version.try_emplace(name, utf8_text(view, text, std::min(end, at + 2 * value_length)));
            return;
        }
        while (at + 6 <= end && view.holds(at, 6)) {
            std::uint64_t length = view.half(at);
            if (length < 6) return;
            read_version_block(view, at, std::min(end, at + length), depth + 1);
            at = (at + length + 3) / 4 * 4;
        }
    }

    ByteView view_;
    NameReader names_;
    std::string name_;
    PeFile file_;
    std::vector<Section> sections_;
    std::uint64_t directories_ = 0, directories_end_ = 0, resources_ = 0;
    std::uint32_t directory_count_ = 0;
    std::size_t functions_ = 0, entries_ = 0;
};

} // namespace

std::string PeFunction::text() const { return name.empty() ? fmt::format("#{}", number) : std::string(name); }

bool looks_like_pe(ByteSpan bytes) {
    ByteView view(bytes);
    return view.half(0) == 0x5A4D && view.holds(view.word(0x3C), 4) && view.word(view.word(0x3C)) == 0x4550;
}

Result<PeFile> read_pe(ByteSpan bytes, const std::string& name) { return Reader(bytes, name).read(); }

} // namespace omnistasis::native
