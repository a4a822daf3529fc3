// What is said on a terminal: names of others are shown, and not carried out.
#include "../../src/cli/terminal.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using cli::printable;

TEST_CASE("text, line ends, tabs and letters of all alphabets are printed as they are") {
    for (const char* text : {"", "tides of today\n", "a\tb\n", "Übersicht", "潮汐", "\xC2\xA0", "\xC3\x9B"})
        CHECK(printable(text) == text);
}

TEST_CASE("controls are made visible, also those of two bytes and a lone escape at the end") {
    CHECK(printable("a\x1b]0;owned\x07"
                    "b") == "a\\u001b]0;owned\\u0007b");
    CHECK(printable("\r\b\x7f") == "\\u000d\\u0008\\u007f");
    CHECK(printable("x\xC2\x9B"
                    "2J") == "x\\u009b2J");
    CHECK(printable("\x1b") == "\\u001b");
    CHECK(printable("\xC2") == "\xC2"); // cut off: no control
    CHECK(printable(std::string("a\0b", 3)) == "a\\u0000b");
}

TEST_CASE("our own colours stay, others do not") {
    CHECK(printable("\033[31;1merror\033[0m: \033[5mx") == "\033[31;1merror\033[0m: \\u001b[5mx");
    CHECK(printable("\033[1m") == "\033[1m");
    CHECK(printable("\033[33") == "\\u001b[33");
}

TEST_CASE("counts are said in words that fit them") {
    CHECK(cli::plural(1, "file", "files") == "1 file");
    CHECK(cli::plural(0, "file", "files") == "0 files");
    CHECK(cli::plural(7, "berth", "berths") == "7 berths");
}
