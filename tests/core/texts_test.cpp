// Small pieces of text: sizes for people, TOML's strings, code points.
#include "support/size_text.h"
#include "support/text.h"
#include "support/toml.h"
#include "support/toml_text.h"
#include "support/utf8.h"

#include <catch2/catch.hpp>

using namespace omnistasis;

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
