#include "native/mach_signature.h"

#include "native/mach_o_format.h"
#include "support/byte_writer.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::native {

namespace {

constexpr std::uint32_t program_kind = 2; // MH_EXECUTE
constexpr std::uint32_t magic_super_blob = 0xfade0cc0, magic_directory = 0xfade0c02,
                        magic_requirements = 0xfade0c01;
constexpr std::uint32_t ad_hoc = 2;
constexpr std::size_t page = 4096;
constexpr std::size_t command_size = 16;
constexpr std::size_t directory_head = 88; // version 0x20400

void put_hash(std::string& out, std::string_view bytes) {
    Sha256 digest = sha256(bytes);
    out += as_text(digest);
}

constexpr std::uint64_t of_sha256 = 32; ///< bytes of a hash

/// Where a file's parts are that a signature changes; 0 where one is not there.
struct Marks {
    std::uint64_t signature = 0; ///< the load command
    std::uint64_t linkedit = 0;  ///< the load command of that segment
    std::uint64_t text_size = 0;
    std::uint64_t end = 0;        ///< of the load commands
    std::uint64_t first_part = 0; ///< where the first section's content begins
};

Marks marks_of(const ByteView& view) {
    Marks marks{.end = mach::head_size, .first_part = mach::first_section(view)};
    mach::each_command(view, [&](std::uint32_t kind, std::uint64_t at, std::uint32_t size) {
        marks.end = at + size;
        if (kind == mach::signature) marks.signature = at;
        if (kind != mach::segment_64) return;
        std::string_view name = view.text(at + 8, at + 24);
        if (name == "__LINKEDIT") marks.linkedit = at;
        if (name == "__TEXT") marks.text_size = view.quad(at + 48);
    });
    return marks;
}

} // namespace

Result<std::string> with_seal(std::string file, const SealedParts& parts, const std::string& name) {
    auto wrong = [&](const char* why) {
        return fail(ErrorKind::bad_input, "the file can't be signed", name, why,
                    "sign it on a Mac, or leave it out with --exclude");
    };
    if (ByteView(as_bytes(file)).word(0) != mach::magic_64) return wrong("it is no thin 64-bit Mach-O file");
    Marks marks = marks_of(ByteView(as_bytes(file)));
    if (marks.linkedit == 0) return wrong("it has no segment for a signature");
    if (marks.signature == 0) {
        // None yet: a load command is added in the gap in front of the first section.
        if (marks.end + command_size > marks.first_part || marks.first_part > file.size())
            return wrong("its header has no room for a signature's load command");
        marks.signature = marks.end;
        while (file.size() % 16 != 0) file += '\0';
        ByteView view(as_bytes(file));
        std::uint32_t count = view.word(16), size = view.word(20);
        set_little(file, 16, count + 1, 4);
        set_little(file, 20, size + command_size, 4);
        set_little(file, marks.signature, mach::signature, 4);
        set_little(file, marks.signature + 4, command_size, 4);
        set_little(file, marks.signature + 8, file.size(), 4);
    }
    ByteView view(as_bytes(file));
    std::uint32_t offset = view.word(marks.signature + 8);
    std::uint64_t start_of_linkedit = view.quad(marks.linkedit + 40);
    if (offset > file.size() || offset < start_of_linkedit)
        return wrong("its signature is outside of the file");
    bool is_program = view.word(12) == program_kind;
    std::size_t pages = (offset + page - 1) / page;
    std::string requirements;
    put_big(requirements, magic_requirements, 4);
    put_big(requirements, 12, 4);
    put_big(requirements, 0, 4);

    // Info.plist 1, requirements 2, resources 3
    std::size_t special_slots = parts.resources.empty() ? 2 : 3;
    std::size_t hashes = directory_head + parts.identifier.size() + 1 + special_slots * 32;
    std::size_t directory_size = hashes + pages * 32;
    constexpr std::size_t super_head = 12 + 2 * 8;
    std::size_t whole = super_head + directory_size + requirements.size();
    std::size_t room = (whole + 15) / 16 * 16;

    // The hashes are of the file as it will be.
    std::uint64_t end = offset + room;
    set_little(file, marks.signature + 12, room, 4);
    set_little(file, marks.linkedit + 48, end - start_of_linkedit, 8);
    set_little(file, marks.linkedit + 32, (end - start_of_linkedit + 0x3fff) / 0x4000 * 0x4000, 8);
    file.resize(offset);

    std::string blob;
    put_big(blob, magic_super_blob, 4);
    put_big(blob, whole, 4);
    put_big(blob, 2, 4);
    put_big(blob, 0, 4); // the code directory
    put_big(blob, super_head, 4);
    put_big(blob, 2, 4); // the requirements
    put_big(blob, super_head + directory_size, 4);
    put_big(blob, magic_directory, 4);
    put_big(blob, directory_size, 4);
    put_big(blob, 0x20400, 4);
    put_big(blob, ad_hoc, 4);
    put_big(blob, hashes, 4);
    put_big(blob, directory_head, 4);
    put_big(blob, special_slots, 4);
    put_big(blob, pages, 4);
    put_big(blob, offset, 4);
    put_big(blob, 32, 1); // SHA-256
    put_big(blob, 2, 1);
    put_big(blob, 0, 1);
    put_big(blob, 12, 1); // a page is 2^12 bytes
    put_big(blob, 0, 4);
    put_big(blob, 0, 4); // no scatter
    put_big(blob, 0, 4); // no team
    put_big(blob, 0, 4);
    put_big(blob, 0, 8);
    put_big(blob, 0, 8); // the text segment's place in the file
    put_big(blob, marks.text_size, 8);
    put_big(blob, is_program ? 1 : 0, 8); // a main program
    blob += parts.identifier + '\0';
    if (!parts.resources.empty()) put_hash(blob, parts.resources);
    put_hash(blob, requirements);
    if (parts.information.empty())
        blob.append(32, '\0');
    else
        put_hash(blob, parts.information);
    for (std::size_t i = 0; i < pages; ++i)
        put_hash(blob,
                 std::string_view(file).substr(i * page, std::min<std::size_t>(page, offset - i * page)));
    blob += requirements;
    blob.resize(room);
    return file + blob;
}

std::string wrong_with_seal(ByteSpan file, const SealedParts& parts) {
    ByteView view(file);
    Marks marks = marks_of(view);
    if (marks.signature == 0) return "it has no signature";
    std::uint64_t offset = view.word(marks.signature + 8), size = view.word(marks.signature + 12);
    ByteView blob(view.part(offset, size), false);
    if (blob.size() == 0 || blob.word(0) != magic_super_blob) return "its signature is outside of the file";
    // Older files have one with SHA-1 first, for older systems, and another with SHA-256.
    std::uint64_t directory = 0;
    constexpr std::uint32_t most_blobs = 64, first_other = 0x1000, last_other = 0x1004;
    constexpr std::uint64_t of_sha1 = 20;
    for (std::uint32_t i = 0; i < std::min(blob.word(8), most_blobs); ++i) {
        std::uint32_t slot = blob.word(12 + std::uint64_t(8) * i), at = blob.word(16 + std::uint64_t(8) * i);
        bool is_directory = slot == 0 || (slot >= first_other && slot <= last_other);
        if (is_directory && (directory == 0 || blob.byte(at + 36) == of_sha256)) directory = at;
    }
    if (directory == 0 || blob.word(directory) != magic_directory)
        return "its signature has no code directory";
    std::uint64_t hashes = directory + blob.word(directory + 16);
    std::uint32_t special = blob.word(directory + 24), pages = blob.word(directory + 28);
    std::uint64_t limit = blob.word(directory + 32);
    std::uint64_t width = blob.byte(directory + 36), page_bits = blob.byte(directory + 39);
    constexpr std::uint64_t most_page_bits = 20;
    bool is_known = width == of_sha256 || width == of_sha1;
    if (!is_known || page_bits < 10 || page_bits > most_page_bits)
        return "its hashes are not SHA-1 or SHA-256 of whole pages";
    if (limit != offset) return "its signature does not cover the whole file";
    std::uint64_t whole = 1ull << page_bits;
    if (pages != (limit + whole - 1) / whole) return "its signature does not cover all pages";
    auto is_hash_of = [&](std::uint64_t slot, std::string_view bytes) {
        std::string_view held = as_text(blob.part(slot, width));
        return width == of_sha1 ? held == as_text(sha1(as_bytes(bytes))) : held == as_text(sha256(bytes));
    };
    for (std::uint64_t i = 0; i < pages; ++i) {
        ByteSpan part = view.part(i * whole, std::min(whole, limit - i * whole));
        if (!is_hash_of(hashes + i * width, as_text(part)))
            return fmt::format("the hash of its page {} is another", i);
    }
    if (!parts.information.empty() && (special < 1 || !is_hash_of(hashes - width, parts.information)))
        return "its signature is not over Info.plist";
    if (!parts.resources.empty() && (special < 3 || !is_hash_of(hashes - 3 * width, parts.resources)))
        return "its signature is not over the list of the bundle's files";
    return {};
}

} // namespace omnistasis::native
