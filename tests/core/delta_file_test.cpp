// Delta files come from elsewhere: whatever their description says, reading one ends with an answer.
#include "payload/delta_file.h"
#include "support/hash.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using namespace omnistasis::payload;

namespace {

/// A delta with any text as its description; its sizes and its hash are right.
std::string delta_with(const std::string& description) {
    std::string stored = pack_piece(as_bytes(description), {});
    std::string delta = "OMNIDLT1";
    for (std::size_t size : {stored.size(), description.size()})
        for (int i = 0; i < 8; ++i) delta += static_cast<char>(size >> (8 * i));
    Sha256 hash = sha256(stored);
    delta.append(reinterpret_cast<const char*>(hash.data()), hash.size());
    return delta + stored;
}

} // namespace

TEST_CASE("descriptions of deltas that are no such are refused") {
    for (const char* text :
         {"2", "[]", "{}", "null", "\"format\"", "{", R"({"format": "1"})", R"({"format": 1})",
          R"({"format": 1, "form": 3})", R"({"format": 1, "form": "file", "base": [], "result": {}})",
          R"({"format": 1, "form": "file", "base": {"name": "a", "version": "", "id": ""},
              "result": {"name": "a", "version": "", "id": ""}, "size": 1, "taken": 0,
              "files": [{"path": "", "mode": 420, "pieces": [7]}]})"}) {
        INFO(text);
        auto read = DeltaFile::read(as_bytes(delta_with(text)), "a.delta");
        REQUIRE_FALSE(read);
        CHECK(read.error().kind == ErrorKind::bad_input);
    }
    auto newer = DeltaFile::read(as_bytes(delta_with(R"({"format": 2})")), "a.delta");
    REQUIRE_FALSE(newer);
    CHECK(newer.error().why.find("newer version") != std::string::npos);
}

TEST_CASE("a delta is read as it was written") {
    DeltaFile file;
    file.summary = {"file", "tides", "1.0", "aa", "tides", "1.1", "bb", 100, 60};
    file.files = {{"", 0755, {{true, 5, 0, 60, "", "cc"}, {false, 0, 4, 40, "none", "dd"}}}};
    std::string data = "data";
    file.data = as_bytes(data);
    std::string text = file.text();
    auto read = DeltaFile::read(as_bytes(text), "a.delta");
    REQUIRE(read);
    CHECK(read->summary.result_version == "1.1");
    REQUIRE(read->files.size() == 1);
    REQUIRE(read->files[0].pieces.size() == 2);
    CHECK(read->files[0].pieces[0].from_base);
    CHECK(read->files[0].pieces[1].packed == "none");
    CHECK(std::string(read->data.begin(), read->data.end()) == "data");
}

TEST_CASE("a piece is unpacked to the size that it has, and to no other") {
    const std::string text(5000, 't');
    std::string stored = pack_piece(as_bytes(text), {}), raw;
    CHECK(unpack_piece(as_bytes(stored), {}, text.size(), raw));
    CHECK(raw == text);
    for (std::uint64_t size :
         {std::uint64_t(0), std::uint64_t(4999), std::uint64_t(5001), std::uint64_t(8) << 30}) {
        std::string other;
        CHECK_FALSE(unpack_piece(as_bytes(stored), {}, size, other));
        CHECK(other.empty()); // nothing was made room for
    }
    CHECK_FALSE(unpack_piece(as_bytes(std::string("no frame")), {}, 8, raw));
}

TEST_CASE("a description that says it is much larger than it can be is refused unread") {
    std::string delta = delta_with("{}");
    for (int i = 0; i < 8; ++i)
        delta[static_cast<std::size_t>(16 + i)] = static_cast<char>((1ull << 28) >> (8 * i));
    auto read = DeltaFile::read(as_bytes(delta), "a.delta");
    REQUIRE_FALSE(read);
    CHECK(read.error().why == "it is cut off or damaged");
}
