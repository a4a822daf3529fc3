#include "dress/mach_signature.h"

#include "support/byte_view.h"
#include "support/byte_writer.h"

#include <algorithm>

namespace omnistasis::dress {

namespace {

constexpr std::uint32_t segment_64 = 0x19, code_signature = 0x1d; // LC_...
constexpr std::uint32_t magic_super_blob = 0xfade0cc0, magic_directory = 0xfade0c02,
                        magic_requirements = 0xfade0c01;
constexpr std::uint32_t ad_hoc = 2;
constexpr std::size_t page = 4096;
constexpr int special_slots = 3;           // Info.plist 1, requirements 2, resources 3
constexpr std::size_t directory_head = 88; // version 0x20400

void put_hash(std::string& out, std::string_view bytes) {
    Sha256 digest = sha256(bytes);
    out += as_text(digest);
}

} // namespace

Result<std::string> with_seal(std::string program, const SealedParts& parts) {
    auto wrong = [](const char* why) {
        return fail(ErrorKind::fault, "the launcher can't be signed", "", why, "install Omnistasis anew");
    };
    ByteView view(as_bytes(program));
    if (view.word(0) != 0xfeedfacf) return wrong("it is no thin 64-bit Mach-O file");
    std::uint64_t signature = 0, linkedit = 0, text_size = 0, at = 32;
    for (std::uint32_t i = 0; i < view.word(16) && view.holds(at, 8); ++i) {
        std::uint32_t kind = view.word(at), size = view.word(at + 4);
        if (size < 8) break;
        if (kind == code_signature) signature = at;
        if (kind == segment_64 && view.text(at + 8, at + 24) == "__LINKEDIT") linkedit = at;
        if (kind == segment_64 && view.text(at + 8, at + 24) == "__TEXT") text_size = view.quad(at + 48);
        at += size;
    }
    if (signature == 0 || linkedit == 0) return wrong("its linker has left no signature");
    std::uint32_t offset = view.word(signature + 8);
    if (offset > program.size()) return wrong("its signature is outside of the file");
    std::size_t pages = (offset + page - 1) / page;
    std::string requirements;
    put_big(requirements, magic_requirements, 4);
    put_big(requirements, 12, 4);
    put_big(requirements, 0, 4);

    std::size_t hashes = directory_head + parts.identifier.size() + 1 + special_slots * 32;
    std::size_t directory_size = hashes + pages * 32;
    constexpr std::size_t super_head = 12 + 2 * 8;
    std::size_t whole = super_head + directory_size + requirements.size();
    std::size_t room = (whole + 15) / 16 * 16;

    // The hashes are of the program as it will be.
    std::uint64_t end = offset + room;
    std::uint64_t start_of_linkedit = view.quad(linkedit + 40);
    set_little(program, signature + 12, room, 4);
    set_little(program, linkedit + 48, end - start_of_linkedit, 8);
    set_little(program, linkedit + 32, (end - start_of_linkedit + 0x3fff) / 0x4000 * 0x4000, 8);
    program.resize(offset);

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
    put_big(blob, text_size, 8);
    put_big(blob, 1, 8); // a main program
    blob += parts.identifier + '\0';
    put_hash(blob, parts.resources);
    put_hash(blob, requirements);
    put_hash(blob, parts.information);
    for (std::size_t i = 0; i < pages; ++i)
        put_hash(blob,
                 std::string_view(program).substr(i * page, std::min<std::size_t>(page, offset - i * page)));
    blob += requirements;
    blob.resize(room);
    return program + blob;
}

} // namespace omnistasis::dress
