#include "native/oldest_system.h"

#include "support/byte_view.h"
#include "support/toml.h"

#include <algorithm>
#include <charconv>
#include <elf.h>
#include <fmt/format.h>
#include <optional>

namespace omnistasis::native {

namespace {

constexpr std::string_view family = "GLIBC_";

// A hostile file shall not make us look for ever.
constexpr std::uint64_t most_symbols = 1u << 18;
constexpr std::uint64_t longest_version_name = 500;
constexpr unsigned most_notes = 1024;

/// A symbol that a file takes at a version, by the version's number: .gnu.version has one for each symbol.
std::string symbol_of_version(const ElfFile& elf, ByteSpan content, std::uint16_t number) {
    ByteView view(content, elf.little_endian);
    auto table = [&](std::uint64_t tag) -> std::optional<std::uint64_t> {
        auto address = elf.dynamic_value(tag);
        return address ? elf.offset_of(*address) : std::nullopt;
    };
    auto strings = table(DT_STRTAB), symbols = table(DT_SYMTAB), versions = table(DT_VERSYM);
    if (!strings || !symbols || !versions) return {};
    // Symbols that are taken from elsewhere stand in front of those that are in the file's hash table.
    std::uint64_t count = 1u << 16;
    if (auto hash = table(DT_GNU_HASH); hash && view.word(*hash + 4) > 1)
        count = view.word(*hash + 4);
    else if (auto older = table(DT_HASH))
        count = view.word(*older + 4);
    count = std::min<std::uint64_t>(count, most_symbols);
    std::uint64_t width = elf.is_64_bit ? 24 : 16;
    for (std::uint64_t i = 1; i < count && view.holds(*versions + i * 2, 2); ++i)
        if ((view.half(*versions + i * 2) & 0x7FFF) == number) {
            std::uint64_t name = *strings + view.word(*symbols + i * width);
            return std::string(view.text(name, name + longest_version_name));
        }
    return {};
}

/// The version in a GNU ABI note for Linux; empty where there is none.
std::vector<int> kernel_of(const ElfFile& elf, ByteSpan content) {
    ByteView view(content, elf.little_endian);
    constexpr std::uint64_t header = 12; // sizes of name and description, type
    unsigned notes_left = most_notes;
    for (const ElfSegment& segment : elf.segments) {
        if (segment.type != PT_NOTE) continue;
        std::uint64_t end = std::min(segment.offset + segment.file_size, view.size());
        for (std::uint64_t at = segment.offset;
             view.holds(at, header) && at + header <= end && notes_left > 0;) {
            --notes_left;
            std::uint64_t name = (view.word(at) + 3ull) & ~3ull, size = view.word(at + 4);
            std::uint64_t description = at + header + name;
            if (view.word(at + 8) == NT_GNU_ABI_TAG && size >= 16 &&
                view.text(at + header, at + header + 4) == "GNU" && view.holds(description, 16) &&
                view.word(description) == ELF_NOTE_OS_LINUX)
                return {static_cast<int>(view.word(description + 4)),
                        static_cast<int>(view.word(description + 8)),
                        static_cast<int>(view.word(description + 12))};
            at = description + ((size + 3) & ~3ull);
        }
    }
    return {};
}

} // namespace

std::vector<int> parse_version(std::string_view text) {
    std::vector<int> parts;
    parts.reserve(3);
    while (!text.empty()) {
        int number = 0;
        auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number);
        if (error != std::errc()) return {};
        parts.push_back(number);
        text.remove_prefix(static_cast<std::size_t>(end - text.data()));
        if (text.empty()) break;
        if (text.front() != '.') return {};
        text.remove_prefix(1);
    }
    return parts;
}

std::string version_text(const std::vector<int>& version) {
    std::string text;
    for (int part : version) text += fmt::format("{}{}", text.empty() ? "" : ".", part);
    return text;
}

void OldestSystem::add(const std::string& name, const ElfFile& elf, ByteSpan content) {
    if (auto kernel = kernel_of(elf, content); kernel > kernel_.version) kernel_ = {name, std::move(kernel)};
    if (elf.soname.starts_with("libc.so.")) brings_c_library_ = true;
    CLibraryNeed highest{name, {}, {}};
    std::uint16_t number = 0;
    for (const ElfVersionNeed& need : elf.version_needs)
        for (const ElfVersionNeed::Version& one : need.versions) {
            if (one.weak || !one.name.starts_with(family)) continue;
            std::vector<int> parts = parse_version(std::string_view(one.name).substr(family.size()));
            if (parts > highest.version) {
                highest.version = parts;
                number = one.number;
            }
        }
    if (highest.version.empty()) return;
    highest.symbol = symbol_of_version(elf, content, number);
    needs_.push_back(std::move(highest));
}

void OldestSystem::add(const std::string& name, const MachFile& file) {
    for (const MachImage& image : file.images)
        if (image.platform == "macos") add({name, parse_version(image.oldest_system), false});
}

void OldestSystem::add(const std::string& name, const PeFile& file) {
    add({name, {file.oldest_major, file.oldest_minor}, true});
}

void OldestSystem::add(SystemNeed need) {
    if (need.version > system_.version) system_ = std::move(need);
}

std::string SystemNeed::cause() const {
    if (file.empty()) return {};
    return library.empty() ? file + " says" : fmt::format("{} asks for {}", file, library);
}

std::string SystemNeed::name() const {
    if (!is_windows) return "macOS " + version_text(version);
    static const std::map<std::vector<int>, std::string> names{{{6, 0}, "Vista"},
                                                               {{6, 1}, "7"},
                                                               {{6, 2}, "8"},
                                                               {{6, 3}, "8.1"},
                                                               {{10, 0}, "10"},
                                                               {{10, 0, 15063}, "10 1703"},
                                                               {{10, 0, 16299}, "10 1709"},
                                                               {{10, 0, 18362}, "10 1903"},
                                                               {{10, 0, 19041}, "10 2004"}};
    auto known = names.find(version);
    return "Windows " + (known == names.end() ? version_text(version) : known->second);
}

void OldestSystem::add(const OldestSystem& other) {
    add(other.system_);
    needs_.insert(needs_.end(), other.needs_.begin(), other.needs_.end());
    if (other.kernel_.version > kernel_.version) kernel_ = other.kernel_;
    brings_c_library_ |= other.brings_c_library_;
}

std::vector<CLibraryNeed> OldestSystem::needs() const {
    if (brings_c_library_) return {};
    std::vector<CLibraryNeed> sorted = needs_;
    std::ranges::stable_sort(sorted, [](const CLibraryNeed& one, const CLibraryNeed& other) {
        return one.version != other.version ? one.version > other.version : one.file < other.file;
    });
    return sorted;
}

Result<std::vector<KnownSystem>> known_systems(const fs::path& data, const std::string& target) {
    fs::path file = data / "hosts" / (target + ".toml");
    toml::parse_result parsed = toml::parse_file(file.string());
    if (!parsed)
        return fail(ErrorKind::fault, "can't read the list of systems", file,
                    std::string(parsed.error().description()), "install Omnistasis anew");
    std::vector<KnownSystem> systems;
    if (const toml::array* list = parsed.table()["system"].as_array())
        for (const toml::node& node : *list)
            if (const toml::table* one = node.as_table())
                systems.push_back({parse_version((*one)["glibc"].value_or(std::string())),
                                   (*one)["name"].value_or(std::string())});
    std::ranges::stable_sort(systems, {}, &KnownSystem::version);
    return systems;
}

} // namespace omnistasis::native
