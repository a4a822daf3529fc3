#include "runtimes/python/marshal.h"

#include <catch2/catch.hpp>

using namespace omnistasis::python;

TEST_CASE("marks that nothing refers to go, and the rest are numbered anew") {
    using namespace std::string_literals;
    // (marked "a", marked "b", reference to 2): the tuple is 0, "a" 1, "b" 2.
    std::string before = "\xA9\x03"s + "\xFA\x01"s + "a" + "\xFA\x01"s + "b" + "r\x02\0\0\0"s;
    std::string after = "\x29\x03"s + "\x7A\x01"s + "a" + "\xFA\x01"s + "b" + "r\0\0\0\0"s;
    CHECK(canonical_marshal(before) == after);
    CHECK(canonical_marshal(after) == after);
}

TEST_CASE("texts that are no names are alike, whatever the interpreter shared before") {
    using namespace std::string_literals;
    CHECK(canonical_marshal("Z\x01*"s) == "z\x01*"s);
    CHECK(canonical_marshal("A\x03\0\0\0a-b"s) == "a\x03\0\0\0a-b"s);
    CHECK(canonical_marshal("Z\x05tides"s) == "Z\x05tides"s);
    CHECK(canonical_marshal("A\x02\0\0\0_7"s) == "A\x02\0\0\0_7"s);
    // A mark that something refers to stays.
    CHECK(canonical_marshal(")\x02\xDA\x01*r\0\0\0\0"s) == ")\x02\xFA\x01*r\0\0\0\0"s);
}

TEST_CASE("damaged marshalled bytes are refused") {
    using namespace std::string_literals;
    CHECK(canonical_marshal("").empty());
    CHECK(canonical_marshal("r\0\0\0\0"s).empty());
    CHECK(canonical_marshal("(\xff\xff\xff\x7fN"s).empty());
    CHECK(canonical_marshal("s\xff\xff\xff\xff").empty());
    CHECK(canonical_marshal(std::string(100000, ')')).empty());
    // A null is the end of a dictionary, never an object in it.
    CHECK(canonical_marshal("{\xB0NNN0"s).empty());
}

TEST_CASE("code objects get another file name, all the same one") {
    using namespace std::string_literals;
    // Five numbers, eight objects, a line and two objects, as since 3.11; the sixth object is the file's
    // name.
    auto code = [](const std::string& constants, const std::string& file) {
        return "c"s + std::string(20, '\0') + "N" + constants + "NNN" + file + "NN" + std::string(4, '\0') +
               "NN";
    };
    std::string old = "\xFA\x04"s + "a.py", again = "r\0\0\0\0"s, other = "z\x04"s + "b.py";
    std::string renamed = "\xFA\x07"s + "tree/a!";
    CHECK(canonical_marshal(code(code("N", old), again), "tree/a!") == code(code("N", renamed), again));
    CHECK(canonical_marshal(code(code("N", old), other), "tree/a!").empty());
    CHECK(canonical_marshal(code("N", "z\x01"s + "a"), "\xC3\xA4") == code("N", "u\x02\0\0\0\xC3\xA4"s));
}
