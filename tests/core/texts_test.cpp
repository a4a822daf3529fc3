// Small pieces of text: sizes for people, TOML's strings, code points, digests, the launcher's list of state.
#include "../../launcher/state_list.h"
#include "support/base64.h"
#include "support/hash.h"
#include "support/size_text.h"
#include "support/text.h"
#include "support/toml.h"
#include "support/toml_text.h"
#include "support/utf8.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using namespace std::string_literals;

TEST_CASE("sizes have three digits at most") {
    auto [bytes, text] = GENERATE(table<std::uint64_t, std::string>({{0, "0 B"},
                                                                     {999, "999 B"},
                                                                     {1000, "1.0 kB"},
                                                                     {9949, "9.9 kB"},
                                                                     {9950, "10 kB"},
                                                                     {999'499, "999 kB"},
                                                                     {999'500, "1.0 MB"},
                                                                     {4'900'000, "4.9 MB"},
                                                                     {2'000'000'000, "2.0 GB"},
                                                                     {~0ull, "18446744 TB"}}));
    CHECK(size_text(bytes) == text);
}

TEST_CASE("texts in TOML come back as they were") {
    for (std::string text : {"", "tide", "a \"bell\" \\ more", "two\nlines\tand\r", "\x01\x1F\x7F",
                             "gez\xC3\xA4hlt \xF0\x9F\x9A\xA2"}) {
        INFO(text);
        toml::parse_result parsed = toml::parse("value = " + toml_quoted(text));
        REQUIRE(parsed);
        CHECK(parsed.table()["value"].value<std::string>() == text);
    }
}

TEST_CASE("what was put into a text is not looked at again") {
    std::string text = "aXbXX";
    replace_all(text, "X", "XX");
    CHECK(text == "aXXbXXXX");
    replace_all(text, "", "y");
    CHECK(text == "aXXbXXXX");
    replace_all(text, "XX", "");
    CHECK(text == "ab");
}

TEST_CASE("code points become UTF-8, and others nothing") {
    std::string text;
    for (std::uint32_t code :
         {0x41u, 0x7Fu, 0x80u, 0x7FFu, 0x800u, 0xFFFDu, 0x10000u, 0x10FFFFu, 0x110000u, ~0u})
        append_utf8(text, code);
    CHECK(text == "A\x7F\xC2\x80\xDF\xBF\xE0\xA0\x80\xEF\xBF\xBD\xF0\x90\x80\x80\xF4\x8F\xBF\xBF");
}

TEST_CASE("blanks and line ends at both ends go, those between stay") {
    CHECK(trimmed("  high water \r\n") == "high water");
    CHECK(trimmed("\f\v\t ") == "");
    CHECK(trimmed("") == "");
    CHECK(trimmed("a") == "a");
}

TEST_CASE("bytes as base64, as RFC 4648 has them, and SHA-1, as FIPS 180-4 does") {
    auto coded = [](std::string_view text) { return base64(as_bytes(text)); };
    CHECK(coded("") == "");
    CHECK(coded("f") == "Zg==");
    CHECK(coded("fo") == "Zm8=");
    CHECK(coded("foo") == "Zm9v");
    CHECK(coded("foobar") == "Zm9vYmFy");
    CHECK(hex(sha1(as_bytes(std::string_view("abc")))) == "a9993e364706816aba3e25717850c26c9cd0d89d");
}

TEST_CASE("the list of state is walked to its end, and says whether files are among it") {
    std::string text = "folder\0app/notes\0notes\0"s;
    auto head_of = [](const std::string& list) {
        payload::Head head;
        head.state = {reinterpret_cast<const std::uint8_t*>(list.data()), list.size()};
        return head;
    };
    CHECK_FALSE(launcher::keeps_files(head_of(text)));
    CHECK_FALSE(launcher::keeps_files(head_of("")));
    text += "file\0app/log book.db\0log book.db\0"s;
    payload::Head head = head_of(text);
    CHECK(launcher::keeps_files(head));
    launcher::State state;
    std::size_t at = 0;
    REQUIRE(launcher::next_state(head, at, state));
    CHECK(state.is_folder);
    CHECK(std::string(state.place) == "app/notes");
    REQUIRE(launcher::next_state(head, at, state));
    CHECK_FALSE(state.is_folder);
    CHECK(std::string(state.path) == "log book.db");
    CHECK_FALSE(launcher::next_state(head, at, state));
}
