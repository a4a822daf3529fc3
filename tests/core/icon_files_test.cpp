#include "dress/icon.h"
#include "dress/icon_files.h"
#include "dress/pe_resources.h"
#include "folder.h"
#include "native/pe_reader.h"
#include "support/own_program.h"

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
    test::Folder folder;
    fs::path modules = own_modules();
    auto check = [&](const std::string& name, const std::string& bytes, const std::vector<int>& edges) {
        INFO(name);
        folder.write(name, bytes);
        auto source = IconSource::open(folder.path() / name, modules);
        REQUIRE(source);
        CHECK(source->facts().width == edges.back());
        for (int edge : edges) {
            // What nothing covers may have any colour.
            Picture wanted = gradient(edge), found = source->at(edge);
            for (Picture* picture : {&wanted, &found})
                for (std::size_t at = 0; at < picture->pixels.size(); at += 4)
                    if (picture->pixels[at + 3] == 0)
                        std::fill_n(picture->pixels.begin() + std::ptrdiff_t(at), 3, 0);
            CHECK(found.pixels == wanted.pixels);
        }
    };
    check("board.ico", ico_bytes({gradient(16), gradient(33), gradient(48), gradient(256)}),
          {16, 33, 48, 256});
    check("board.icns", icns_bytes({gradient(16), gradient(32), gradient(128), gradient(1024)}),
          {16, 32, 128, 1024});
    Picture bare = gradient(16);
    for (std::size_t at = 3; at < bare.pixels.size(); at += 4) bare.pixels[at] = 0;
    std::string old = ico_bytes({bare});
    std::fill(old.begin() + 6 + 16 + 40 + 16 * 16 * 4, old.end(), '\0'); // the mask hides nothing
    folder.write("old.ico", old);
    auto uncovered = IconSource::open(folder.path() / "old.ico", modules);
    REQUIRE(uncovered);
    CHECK(uncovered->at(16).pixels[3] == 255);
    folder.write("cut.ico", ico_bytes({gradient(64)}).substr(0, 9000));
    auto cut = IconSource::open(folder.path() / "cut.ico", modules);
    REQUIRE_FALSE(cut);
    CHECK(cut.error().why == "it begins as one, but is damaged or cut off");
}

TEST_CASE("damaged icon files have no parts, or fewer") {
    std::string ico = ico_bytes({gradient(16), gradient(256)});
    for (std::size_t size = 0; size < ico.size(); size += 97)
        CHECK(parts_of_ico(as_bytes(std::string_view(ico).substr(0, size))).size() <= 2);
    std::string icns = icns_bytes({gradient(16), gradient(128)});
    for (std::size_t at = 0; at < icns.size(); at += 31) {
        std::string changed = icns;
        changed[at] = static_cast<char>(changed[at] ^ 0x55);
        CHECK_NOTHROW(parts_of_icns(as_bytes(changed)));
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
