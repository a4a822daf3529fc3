// Since 3.2 Cython puts all strings of a module side by side and compresses them; an array of integers
// elsewhere in the constants holds their lengths (Cython/Compiler/Code.py, generate_pystring_constants).
// Neither has a mark. The compressed table is found by what it begins with: zlib has a header and a checksum,
// and Cython's own compression (from 3.3 on) begins with a flag byte of eight literals. The array is found by
// what it makes of the table: the right one covers it, and cuts whole identifiers. Some compilers put the
// lengths into instructions; then only the table is known, and names can be looked for in it.
#include "runtimes/python/cython_strings.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <zlib.h>

namespace omnistasis::python {

namespace {

constexpr std::size_t largest_table = 16u << 20;
constexpr std::size_t longest_string = 1u << 20;
constexpr std::size_t fewest_strings = 12;
/// Bytes that are unpacked, and lengths that are looked at, in one file: more than any real module takes, so
/// that one that was made to take for ever does not.
constexpr std::size_t most_unpacked = 256u << 20;
constexpr std::size_t most_steps = 100'000'000;

bool has(const std::vector<ByteSpan>& constants, std::string_view text) {
    return std::ranges::any_of(
        constants, [&](ByteSpan span) { return as_text(span).find(text) != std::string_view::npos; });
}

/// All zlib streams (RFC 1950) that end with a right checksum.
void add_zlib_tables(ByteSpan constants, std::vector<std::string>& tables) {
    std::size_t unpacked = 0;
    for (std::size_t i = 0; i + 8 < constants.size() && unpacked < most_unpacked; ++i) {
        if (constants[i] != 0x78 || (constants[i] * 256u + constants[i + 1]) % 31 != 0) continue;
        z_stream stream{};
        if (::inflateInit(&stream) != Z_OK) return;
        stream.next_in = const_cast<Bytef*>(constants.data() + i);
        stream.avail_in = static_cast<uInt>(std::min(constants.size() - i, largest_table));
        std::string table;
        int state = Z_OK;
        while (state == Z_OK && table.size() < largest_table) {
            std::size_t before = table.size();
            table.resize(before + 65536);
            stream.next_out = reinterpret_cast<Bytef*>(table.data() + before);
            stream.avail_out = 65536;
            state = ::inflate(&stream, Z_NO_FLUSH);
            table.resize(before + 65536 - stream.avail_out);
            if (stream.avail_in == 0 && stream.avail_out != 0 && state == Z_OK) break;
        }
        ::inflateEnd(&stream);
        unpacked += table.size();
        if (state == Z_STREAM_END && table.size() > 100) tables.push_back(std::move(table));
    }
}

bool is_text(std::uint8_t byte) { return byte >= 0x20 || byte == '\n' || byte == '\t' || byte == '\r'; }

void add_lzss_tables(ByteSpan constants, std::vector<std::string>& tables) {
    // Wherever it is begun but at its beginning, a reference soon leads in front of what there is.
    std::string longest;
    std::size_t unpacked = 0;
    for (std::size_t i = 0; i + 9 < constants.size() && unpacked < most_unpacked; ++i) {
        // The first three items are bytes as they are: nothing can be repeated yet.
        if ((constants[i] & 7) != 7) continue;
        bool begins = true;
        for (std::size_t k = 1; k < 4 && begins; ++k)
            begins = constants[i + k] < 0x80 && is_text(constants[i + k]);
        if (!begins) continue;
        std::string table = unpack_lzss(constants.subspan(i), largest_table);
        unpacked += table.size();
        if (table.size() > longest.size()) longest = std::move(table);
    }
    if (longest.size() >= 300) tables.push_back(std::move(longest));
}

bool is_identifier(std::string_view text) {
    return std::ranges::all_of(text, [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' ||
               c == '.';
    });
}

/// Names that Cython puts into nearly every module.
bool is_usual(std::string_view piece) {
    static constexpr std::array<std::string_view, 10> usual{
        "__main__",      "__name__",     "__test__",   "cline_in_traceback", "__module__",
        "_is_coroutine", "__qualname__", "__import__", "asyncio.coroutines", "__reduce_cython__"};
    return std::ranges::find(usual, piece) != usual.end();
}

/// What the lengths at some place cut from the table.
struct Cut {
    std::size_t at = 0;          ///< offset of the first length
    std::size_t count = 0;       ///< lengths
    std::size_t covered = 0;     ///< bytes of the table
    std::size_t identifiers = 0; ///< pieces that are identifiers of some length
    std::size_t words = 0;       ///< pieces of some length
    std::size_t usual = 0;       ///< pieces that nearly every module has
};

Cut cut_by(ByteSpan constants, std::size_t at, std::string_view table) {
    Cut cut{at};
    for (; at + 4 <= constants.size() && cut.covered < table.size(); at += 4) {
        std::uint32_t length = 0;
        std::memcpy(&length, constants.data() + at, 4);
        if (length > longest_string || length > table.size() - cut.covered) break;
        // Only the first string may be empty: all are different.
        if (length == 0 && cut.count > 0) break;
        bool is_long = length > 3 && length < 80;
        cut.words += is_long;
        cut.usual += is_long && is_usual(table.substr(cut.covered, length));
        cut.identifiers += is_long && is_identifier(table.substr(cut.covered, length));
        // The names are a good part of all strings; a wrong cut goes through the middle of words and texts.
        if (cut.words == 40 && cut.identifiers < 4) break;
        cut.covered += length;
        ++cut.count;
    }
    return cut;
}

std::vector<std::string> pieces_of(ByteSpan constants, const Cut& cut, std::string_view table) {
    std::vector<std::string> pieces;
    std::size_t from = 0;
    for (std::size_t i = 0; i < cut.count; ++i) {
        std::uint32_t length = 0;
        std::memcpy(&length, constants.data() + cut.at + 4 * i, 4);
        pieces.emplace_back(table.substr(from, length));
        from += length;
    }
    return pieces;
}

} // namespace

std::string unpack_lzss(ByteSpan packed, std::size_t most) {
    std::string out;
    std::size_t at = 0;
    auto left = [&](std::size_t count) { return packed.size() - at >= count; };
    while (at < packed.size()) {
        std::uint32_t flags = packed[at++];
        for (int item = 0; item < 8; ++item, flags >>= 1) {
            if (out.size() >= most) return out;
            if ((flags & 1) != 0) {
                if (!left(1) || !is_text(packed[at])) return out;
                out += static_cast<char>(packed[at++]);
                continue;
            }
            if (!left(3)) return out;
            std::uint32_t low = packed[at], high = packed[at + 1], distance = low, length = high;
            at += 2;
            if ((low & 0x80) != 0 && (high & 0x80) == 0) {
                distance = 0x80 + (((high << 2) & 0x180) | (low & 0x7f));
                length = high & 0x1f;
            } else if ((low & 0x80) != 0) {
                distance = 0x80 + ((high & 0x7f) << 7 | (low & 0x7f));
                length = packed[at++];
            }
            length += 3;
            if (distance + length > out.size()) return out;
            out += out.substr(out.size() - distance - length, length);
        }
    }
    return out;
}

CythonStrings cython_strings(const std::vector<ByteSpan>& constants) {
    std::vector<std::string> tables;
    bool zlib = has(constants, ".decompress' - cannot"), lzss = has(constants, "LZSS string data");
    for (ByteSpan span : constants) {
        if (zlib) add_zlib_tables(span, tables);
        if (lzss) add_lzss_tables(span, tables);
    }
    CythonStrings found;
    std::size_t best = 0, steps = 0;
    for (const std::string& table : tables) {
        // The largest is the one: what looks like one by chance ends soon.
        if (found.strings.empty() && table.size() > found.table.size()) found.table = table;
        for (ByteSpan span : constants)
            for (std::size_t at = 0; at + 4 * fewest_strings <= span.size() && steps < most_steps; at += 4) {
                std::uint32_t second = 0;
                std::memcpy(&second, span.data() + at + 4, 4);
                if (second == 0 || second > longest_string) continue;
                Cut cut = cut_by(span, at, table);
                steps += cut.count + 1;
                // Of what was unpacked without an end in sight the last part may be wrong.
                bool covers = cut.covered * 10 >= table.size() * 6;
                if (cut.count < fewest_strings || !covers || cut.usual < 2 || cut.identifiers <= best)
                    continue;
                best = cut.identifiers;
                found = {pieces_of(span, cut, table), table};
            }
    }
    return found;
}

} // namespace omnistasis::python
