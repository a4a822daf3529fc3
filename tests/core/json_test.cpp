// Texts that are read as JSON, from packages and outputs of others.
#include "support/json.h"

#include <catch2/catch.hpp>

using namespace omnistasis;

TEST_CASE("lists and objects may be deep in each other, but not without end") {
    auto nested = [](std::size_t depth) { return std::string(depth, '[') + std::string(depth, ']'); };
    CHECK(read_json(nested(400)));
    CHECK_FALSE(parse_json(nested(400)).is_discarded());
    auto deep = read_json(nested(600));
    REQUIRE_FALSE(deep);
    CHECK(deep.error().what.find("too deep") != std::string::npos);
    CHECK(deep.error().byte == 500);
    CHECK(parse_json(nested(600)).is_discarded());
    CHECK(parse_json(std::string(100'000, '{')).is_discarded());
}

TEST_CASE("brackets in texts are no depth") {
    CHECK(read_json("[\"" + std::string(600, '[') + "\"]"));
    CHECK(read_json("[\"\\\"" + std::string(600, '{') + "\"]"));
    CHECK_FALSE(read_json("[\"" + std::string(600, '[')));
}

TEST_CASE("what is wrong with a text is said with its place") {
    auto wrong = read_json("{\n \"a\": oops}");
    REQUIRE_FALSE(wrong);
    CHECK(wrong.error().byte == 8);
    CHECK(wrong.error().what.find("json.exception") == std::string::npos);
    auto endless = read_json("[7e99999]");
    REQUIRE_FALSE(endless);
    CHECK(endless.error().what.find("larger than any") != std::string::npos);
}
