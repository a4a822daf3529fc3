#include "runtimes/python/cython_strings.h"

#include <catch2/catch.hpp>
#include <cstring>
#include <zlib.h>

using namespace omnistasis;
using namespace omnistasis::python;

namespace {

const std::vector<std::string> strings{
    "a text that is shown when a berth is taken, and that is long enough for a table of three hundred bytes, "
    "as tables of real modules are; it says who comes, when the tide is high, which ropes are wanted, and "
    "what the weather is like",
    "no ship, no rope",
    "harbour.berths",
    "__main__",
    "__name__",
    "__test__",
    "cline_in_traceback",
    "collections",
    "crew",
    "datetime",
    "harbour",
    "json",
    "moor",
    "secrets",
    "tide_of",
    "zoneinfo"};

std::string joined() {
    std::string all;
    for (const std::string& one : strings) all += one;
    return all;
}

std::string lengths() {
    std::string array;
    for (const std::string& one : strings) {
        auto length = static_cast<std::uint32_t>(one.size());
        array.append(reinterpret_cast<const char*>(&length), 4);
    }
    return array;
}

/// Literals only, as the compression writes where nothing repeats.
std::string packed_lzss(const std::string& text) {
    std::string packed;
    for (std::size_t i = 0; i < text.size(); ++i) {
        if (i % 8 == 0) packed += '\xff';
        packed += text[i];
    }
    return packed;
}

std::string packed_zlib(const std::string& text) {
    std::string packed(::compressBound(text.size()), '\0');
    uLongf size = packed.size();
    REQUIRE(::compress(reinterpret_cast<Bytef*>(packed.data()), &size,
                       reinterpret_cast<const Bytef*>(text.data()), text.size()) == Z_OK);
    packed.resize(size);
    return packed;
}

CythonStrings read(const std::string& constants) { return cython_strings({as_bytes(constants)}); }

std::string padded(std::string text) {
    text.resize((text.size() + 7) / 4 * 4, '\0');
    return text;
}

} // namespace

TEST_CASE("strings that Cython packed with zlib are cut by their lengths") {
    std::string file = padded("x") + "size" + lengths() +
                       padded("Failed to import '%.20s.decompress' - cannot") + packed_zlib(joined());
    CHECK(read(file).strings == strings);
}

TEST_CASE("strings that Cython packed in its own way are cut by their lengths") {
    std::string file =
        padded("LZSS string data decompression failed") + "size" + lengths() + packed_lzss(joined()) + '\0';
    auto found = read(file);
    CHECK(found.strings == strings);
    CHECK(found.table.starts_with(joined()));
}

TEST_CASE("without the lengths the table is known all the same") {
    std::string file = padded("'%.20s.decompress' - cannot") + packed_zlib(joined());
    auto found = read(file);
    CHECK(found.strings.empty());
    CHECK(found.table == joined());
}

TEST_CASE("a file without the marks has no table") {
    CHECK(read(lengths() + packed_zlib(joined())).table.empty());
    CHECK(read("").table.empty());
}

TEST_CASE("references of Cython's compression in their three forms") {
    auto bytes = [](std::initializer_list<int> list) {
        std::string text;
        for (int one : list) text += static_cast<char>(one);
        return text;
    };
    // Three literals, then a short reference: 0 bytes between, 3 + 0 long.
    std::string three = bytes({0x07, 'a', 'b', 'c', 0, 0, 0});
    CHECK(unpack_lzss(as_bytes(three), 6) == "abcabc");
    // The middle form: two bits of the second byte and seven of the first, above 128.
    std::string start = packed_lzss(std::string(64, 'q') + std::string(72, 'r'));
    std::string middle = start + bytes({0x00, 0x80 | 2, 3, 0});
    std::string out = unpack_lzss(as_bytes(middle), 142);
    CHECK(out.size() == 142);
    // The long form has its length in a third byte.
    std::string wide = start + bytes({0x00, 0x80 | 2, 0x80, 1, 0, 0});
    CHECK(unpack_lzss(as_bytes(wide), 140).size() == 140);
    // In front of what there is, nothing can be referred to.
    std::string wrong = bytes({0x00, 5, 5, 5});
    CHECK(unpack_lzss(as_bytes(wrong), 100).empty());
    CHECK(unpack_lzss({}, 100).empty());
}
