// Calls and jumps by position instead of distance, and back.
#include "code_filter.h"
#include "support/files.h"

#include <catch2/catch.hpp>
#include <random>

using namespace omnistasis;

namespace {

Bytes there_and_back(Bytes bytes) {
    payload::distances_to_positions(bytes.data(), bytes.size());
    payload::positions_to_distances(bytes.data(), bytes.size());
    return bytes;
}

} // namespace

TEST_CASE("calls of one function become the same bytes") {
    // Two calls of the byte at 0x20, from 0 and from 0x10; a jump back to the start.
    Bytes code(0x40, 0x90);
    auto put = [&](std::size_t at, std::uint8_t opcode, std::uint32_t distance) {
        code[at] = opcode;
        for (std::size_t k = 0; k < 4; ++k) code[at + 1 + k] = static_cast<std::uint8_t>(distance >> (8 * k));
    };
    put(0x00, 0xE8, 0x20 - 0x05);
    put(0x10, 0xE8, 0x20 - 0x15);
    put(0x18, 0xE9, 0u - 0x1D);
    Bytes before = code;
    payload::distances_to_positions(code.data(), code.size());
    CHECK(Bytes(code.begin(), code.begin() + 5) == Bytes{0xE8, 0x20, 0, 0, 0});
    CHECK(Bytes(code.begin() + 0x10, code.begin() + 0x15) == Bytes{0xE8, 0x20, 0, 0, 0});
    CHECK(Bytes(code.begin() + 0x18, code.begin() + 0x1D) == Bytes{0xE9, 0, 0, 0, 0});
    payload::positions_to_distances(code.data(), code.size());
    CHECK(code == before);
}

TEST_CASE("what is no call stays, and all bytes come back") {
    Bytes far{0xE8, 1, 2, 3, 4, 0x90};
    Bytes same = far;
    payload::distances_to_positions(same.data(), same.size());
    CHECK(same == far);
    std::mt19937 random(7);
    // Bytes that calls are made of come often, so that they overlap and run over the end.
    const Bytes common{0xE8, 0xE9, 0x00, 0xFF, 0xE8, 0x01};
    for (std::size_t size = 0; size < 600; ++size) {
        Bytes bytes(size);
        for (auto& byte : bytes)
            byte = random() % 2 ? common[random() % common.size()] : static_cast<std::uint8_t>(random());
        CHECK(there_and_back(bytes) == bytes);
    }
}
