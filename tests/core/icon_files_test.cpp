#include "dress/icon_files.h"
#include "dress/pe_resources.h"
#include "native/pe_reader.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using namespace omnistasis::dress;

namespace {

Picture gradient(int edge) {
    Picture picture{edge, edge, {}};
    for (int y = 0; y < edge; ++y)
        for (int x = 0; x < edge; ++x)
            for (int value : {x * 7 % 256, y * 5 % 256, (x / 4) * 9 % 256, x < 2 ? 0 : 255})
                picture.pixels.push_back(static_cast<std::uint8_t>(value));
    return picture;
}

} // namespace

TEST_CASE("what is written into icon files is read back pixel by pixel") {
    std::vector<Picture> pictures;
    for (int edge : {16, 33, 48, 256}) pictures.push_back(gradient(edge));
    auto from_ico = pictures_of_ico(as_bytes(ico_bytes(pictures)));
    REQUIRE(from_ico.size() == 4);
    for (std::size_t i = 0; i < 4; ++i) CHECK(from_ico[i].pixels == pictures[i].pixels);
    pictures = {gradient(16), gradient(32), gradient(128), gradient(1024)};
    auto from_icns = pictures_of_icns(as_bytes(icns_bytes(pictures)));
    for (const Picture& wanted : pictures)
        CHECK(
            std::ranges::any_of(from_icns, [&](const Picture& one) { return one.pixels == wanted.pixels; }));
}

TEST_CASE("damaged icon files give no picture, or fewer") {
    std::string ico = ico_bytes({gradient(16), gradient(256)});
    for (std::size_t size = 0; size < ico.size(); size += 97)
        CHECK(pictures_of_ico(as_bytes(std::string_view(ico).substr(0, size))).size() <= 2);
    std::string icns = icns_bytes({gradient(16), gradient(128)});
    for (std::size_t at = 0; at < icns.size(); at += 31) {
        std::string changed = icns;
        changed[at] = static_cast<char>(changed[at] ^ 0x55);
        CHECK_NOTHROW(pictures_of_icns(as_bytes(changed)));
    }
}

TEST_CASE("versions are numbers") {
    using Numbers = std::array<std::uint16_t, 4>;
    CHECK(version_numbers("1.4.0") == Numbers{1, 4, 0, 0});
    CHECK(version_numbers("v2.65535-beta.1") == Numbers{2, 65535, 0, 0});
    CHECK_FALSE(version_numbers("1.65536"));
    CHECK_FALSE(version_numbers("1.2.3.4.5"));
    CHECK_FALSE(version_numbers("next"));
    CHECK(language_identifier("de-DE") == 0x0407);
    CHECK(language_identifier("xx-YY") == 0);
}
