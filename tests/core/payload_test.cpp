#include "payload/payload_contents.h"
#include "payload/payload_writer.h"
#include "payload_reader.h"
#include "silent_observer.h"
#include "support/hash.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <cstring>
#include <map>
#include <random>
#include <unistd.h>

using namespace omnistasis;

namespace {

/// Reads a whole payload back: place to content. Empty where the reader refuses it.
std::map<std::string, std::string> read_back(const std::string& file, payload::ReadError& error) {
    std::map<std::string, std::string> tree;
    const auto* bytes = reinterpret_cast<const std::uint8_t*>(file.data());
    payload::Trailer trailer;
    payload::Head head;
    error = payload::ReadError::no_payload;
    if (file.size() < payload::trailer_size) return tree;
    error = payload::read_trailer(bytes + file.size() - payload::trailer_size, file.size(), trailer);
    if (error != payload::ReadError::none) return tree;
    error = payload::read_head({bytes + trailer.head_offset, trailer.head_size}, trailer, head);
    if (error != payload::ReadError::none) return tree;
    Bytes raw(trailer.index_raw + 1);
    error = payload::unpack_index({bytes + trailer.index_offset, trailer.index_stored}, trailer, head,
                                  raw.data());
    payload::Index index;
    if (error == payload::ReadError::none) error = index.open({raw.data(), trailer.index_raw}, trailer, true);
    if (error != payload::ReadError::none) return tree;
    std::string stream;
    for (std::uint32_t i = 0; i < index.block_count(); ++i) {
        payload::Block block = index.block(i);
        std::string part(block.raw_size, '\0');
        error = payload::unpack_block(bytes + block.offset, block,
                                      reinterpret_cast<std::uint8_t*>(part.data()), nullptr);
        if (error != payload::ReadError::none) return {};
        stream += part;
    }
    std::vector<std::string> contents;
    std::size_t at = 0;
    for (std::uint32_t i = 0; i < index.content_count(); ++i) {
        contents.push_back(stream.substr(at, index.content_size(i)));
        at += index.content_size(i);
        REQUIRE(std::memcmp(sha256(contents.back()).data(), index.content_hash(i), 32) == 0);
    }
    std::size_t position = 0;
    payload::File one;
    while (index.next_file(position, one))
        tree[std::string(reinterpret_cast<const char*>(one.path.data), one.path.size)] =
            contents.at(one.content);
    return tree;
}

std::vector<payload::TreeFile> sample_tree() {
    std::string noise(9 << 20, '\0');
    std::mt19937 random(5);
    for (char& c : noise) c = static_cast<char>(random());
    return {{"bin/app", 0755, std::string(5 << 20, 'x')},
            {"lib/noise", 0644, noise},
            {"a/empty", 0644, ""},
            {"a/one", 0644, "the same"},
            {"b/other", 0644, "the same"},
            {"a/\xC3\xA4 b", 0644, "text"}};
}

std::string write_sample(const fs::path& file, std::vector<payload::TreeFile> tree, int level = 3) {
    fs::remove(file);
    payload::Description description{"app", "1.0", std::string("bin/app\0-x\0", 11), false, "", "", ""};
    test::SilentObserver silent;
    Store none{fs::path()};
    auto sizes = payload::write_output(file, "launcher", tree, description, {level, nullptr}, none, silent);
    REQUIRE(sizes);
    return read_text(file).value();
}

} // namespace

TEST_CASE("a payload comes back as it was, with equal contents stored once") {
    fs::path file = fs::temp_directory_path() / ("omnistasis payload test " + std::to_string(::getpid()));
    auto tree = sample_tree();
    std::string written = write_sample(file, tree);
    CHECK(written.starts_with("launcher"));
    CHECK(written.size() < (10u << 20));
    payload::ReadError error{};
    auto back = read_back(written, error);
    CHECK(error == payload::ReadError::none);
    REQUIRE(back.size() == tree.size());
    for (const auto& one : tree) CHECK(back[one.place] == one.content);
    // The order of the files says nothing.
    std::reverse(tree.begin(), tree.end());
    CHECK(write_sample(file, tree) == written);
    fs::remove(file);
}

TEST_CASE("a place that no reader takes is not written") {
    fs::path file = fs::temp_directory_path() / ("omnistasis place test " + std::to_string(::getpid()));
    for (const char* place : {"a//b", "../b", "/b", "a/", "./b", ""}) {
        payload::Description description{"app", "1.0", std::string("app\0", 4), false, "", "", ""};
        test::SilentObserver silent;
        Store none{fs::path()};
        std::vector<payload::TreeFile> tree{{"app", 0755, "x"}, {place, 0644, "y"}};
        auto sizes = payload::write_output(file, "launcher", tree, description, {3, nullptr}, none, silent);
        REQUIRE_FALSE(sizes);
        CHECK(sizes.error().where == place);
        fs::remove(file);
    }
}

TEST_CASE("native code comes back as it was, packed or stored as it is") {
    fs::path file = fs::temp_directory_path() / ("omnistasis code test " + std::to_string(::getpid()));
    std::mt19937 random(3);
    std::string calls(200'000, '\0');
    for (std::size_t at = 0; at + 9 < calls.size(); at += 9) {
        std::uint32_t distance = static_cast<std::uint32_t>(random() % 64 * 4096 - at);
        calls[at] = '\xE8';
        std::memcpy(&calls[at + 1], &distance, 4);
        calls[at + 6] = static_cast<char>(random());
    }
    std::string noise(5 << 20, '\0');
    for (char& c : noise) c = random() % 3 == 0 ? '\xE8' : static_cast<char>(random());
    auto tree = std::vector<payload::TreeFile>{{"lib/calls", 0644, calls}};
    std::size_t as_data = write_sample(file, tree).size();
    tree[0].is_code = true;
    CHECK(write_sample(file, tree).size() < as_data - 20'000);
    tree.push_back({"lib/noise", 0644, noise});
    tree[1].is_code = true;
    std::string written = write_sample(file, tree);
    payload::ReadError error{};
    auto back = read_back(written, error);
    CHECK(error == payload::ReadError::none);
    for (const auto& one : tree) CHECK((back[one.place] == one.content));
    fs::remove(file);
}

TEST_CASE("no changed byte and no cut goes unnoticed") {
    fs::path file = fs::temp_directory_path() / ("omnistasis payload flips " + std::to_string(::getpid()));
    std::vector<payload::TreeFile> tree{{"bin/app", 0755, std::string(3000, 'x') + "y"},
                                        {"b", 0644, "text of b"}};
    std::string written = write_sample(file, tree);
    fs::remove(file);
    payload::ReadError error{};
    auto whole = read_back(written, error);
    REQUIRE(error == payload::ReadError::none);
    // The launcher itself and the padding behind it are not part of the payload.
    for (std::size_t at = 16; at < written.size(); ++at) {
        std::string flipped = written;
        flipped[at] = static_cast<char>(flipped[at] ^ (1 << at % 8));
        auto tree_read = read_back(flipped, error);
        INFO("byte " << at);
        CHECK((error != payload::ReadError::none || tree_read == whole));
        CHECK(error != payload::ReadError::none);
    }
    for (std::size_t size = 0; size < written.size(); ++size) {
        read_back(written.substr(0, size), error);
        CHECK(error != payload::ReadError::none);
    }
}

TEST_CASE("what changes often shares no block with the rest") {
    fs::path file = fs::temp_directory_path() / ("omnistasis own test " + std::to_string(::getpid()));
    std::mt19937 random(11);
    std::string noise(1 << 20, '\0');
    for (char& c : noise) c = static_cast<char>(random());
    std::vector<payload::TreeFile> tree{{"app/a.txt", 0644, "one line"}, {"lib/b.txt", 0644, noise}};
    tree[0].changes_often = true;
    std::string before = write_sample(file, tree);
    tree[0].content = "one line more";
    std::string after = write_sample(file, tree);
    auto same = std::ranges::mismatch(before, after);
    CHECK(same.in1 - before.begin() > (1 << 20));
    fs::remove(file);
}

TEST_CASE("short contents fill blocks, and no block is larger than readers take") {
    fs::path file = fs::temp_directory_path() / ("omnistasis blocks test " + std::to_string(::getpid()));
    std::mt19937 random(7);
    std::vector<payload::TreeFile> tree;
    for (int i = 0; i < 14; ++i) {
        std::string content(1900000 + 1000 * static_cast<std::size_t>(i), '\0');
        for (char& c : content) c = static_cast<char>(random() % 4);
        tree.push_back({"data/" + std::to_string(i), 0644, content});
    }
    payload::ReadError error{};
    auto back = read_back(write_sample(file, tree), error);
    CHECK(error == payload::ReadError::none);
    for (const auto& one : tree) CHECK(back[one.place] == one.content);
    fs::remove(file);
}

TEST_CASE("contents are handed on in order and once, until something is wrong") {
    fs::path file = fs::temp_directory_path() / ("omnistasis contents test " + std::to_string(::getpid()));
    auto tree = sample_tree();
    std::string written = write_sample(file, tree);
    std::vector<std::string> taken;
    auto take_until = [&](std::size_t most) {
        taken.clear();
        return [&taken, most](std::uint32_t number, const std::string& content) -> Result<void> {
            CHECK(number == taken.size());
            if (taken.size() == most) return fail(ErrorKind::refused, "that was enough");
            taken.push_back(content);
            return {};
        };
    };
    {
        auto contents = payload::PayloadContents::open(file);
        REQUIRE(contents);
        REQUIRE(contents->each_content(take_until(100)));
        REQUIRE(taken.size() == tree.size() - 1); // two are the same
        for (const payload::StoredFile& stored : contents->files()) {
            auto source = std::ranges::find(tree, stored.place, &payload::TreeFile::place);
            REQUIRE(source != tree.end());
            CHECK(taken.at(stored.content) == source->content);
        }
        auto stopped = contents->each_content(take_until(2));
        REQUIRE_FALSE(stopped);
        CHECK(stopped.error().what == "that was enough");
        CHECK(taken.size() == 2);

        // The last of several blocks is damaged: what is in front of it is handed on.
        auto segments = contents->segments();
        REQUIRE(segments.size() > 5); // launcher, blocks, list and index, head
        written[segments[segments.size() - 3].offset] ^= 1;
    }
    REQUIRE(write_atomically(file, written));
    auto damaged = payload::PayloadContents::open(file);
    REQUIRE(damaged);
    auto refused = damaged->each_content(take_until(100));
    REQUIRE_FALSE(refused);
    CHECK(refused.error().why.starts_with("block "));
    CHECK(taken.size() < tree.size() - 1);
    CHECK_FALSE(damaged->verify());
    fs::remove(file);
}

TEST_CASE("paths of a tree stay in it") {
    auto is_safe = [](std::string_view path) {
        return payload::is_safe_path({reinterpret_cast<const std::uint8_t*>(path.data()), path.size()});
    };
    for (const char* path : {"a", "a/b", "...", "a/..b", ".a/b."}) CHECK(is_safe(path));
    for (const char* path : {"", "/", "/a", "a/", "a//b", ".", "..", "a/..", "../a", "a/./b", "a/../b"}) {
        INFO(path);
        CHECK_FALSE(is_safe(path));
    }
    CHECK_FALSE(is_safe(std::string_view("a\0b", 3)));
}
