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
