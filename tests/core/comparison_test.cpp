// What changed between two outputs, and what of the new one the old one does not have.
#include "folder.h"
#include "payload/parts.h"
#include "payload/payload_writer.h"
#include "report/comparison.h"
#include "silent_observer.h"
#include "support/json.h"

#include <random>

using namespace omnistasis;
using omnistasis::report::Comparison;
using omnistasis::test::Folder;

namespace {

struct Output {
    std::string version = "1.0";
    bool window = false;
    std::vector<payload::Part> parts;
    std::vector<payload::TreeFile> tree;
};

payload::PayloadContents written(const Folder& folder, const std::string& name, Output output) {
    test::SilentObserver silent;
    Store none{fs::path()};
    payload::Description description{
        "tideboard", output.version, std::string("bin/app\0", 8), output.window, "", "", ""};
    if (!output.parts.empty()) description.parts = payload::parts_text(output.parts);
    auto done = payload::write_output(folder / name, "launcher", output.tree, description, {3, nullptr}, none,
                                      silent);
    REQUIRE(done);
    auto contents = payload::PayloadContents::open(folder / name);
    REQUIRE(contents);
    return std::move(*contents);
}

/// "kind name before>after", sorted as they come.
std::vector<std::string> told(const Comparison& comparison) {
    std::vector<std::string> lines;
    for (const report::Difference& one : comparison.differences)
        lines.push_back(fmt::format("{} {} {}>{} {}", one.kind, one.name, one.before, one.after,
                                    one.what == report::Difference::What::added     ? "added"
                                    : one.what == report::Difference::What::removed ? "removed"
                                                                                    : "changed"));
    return lines;
}

std::string noise(unsigned seed, std::size_t size) {
    std::mt19937 random(seed);
    std::string text(size, '\0');
    for (char& c : text) c = static_cast<char>(random());
    return text;
}

using Lines = std::vector<std::string>;

} // namespace

TEST_CASE("two equal outputs are the same to the byte, whatever the order of their files") {
    Folder folder;
    Output output;
    output.tree = {{"a", 0644, "one"}, {"b", 0755, "two"}};
    Output turned = output;
    std::swap(turned.tree[0], turned.tree[1]);
    auto compared = report::compare(written(folder, "old", output), written(folder, "new", turned));
    REQUIRE(compared);
    CHECK(compared->same);
    CHECK(compared->differences.empty());
    CHECK(compared->new_bytes == 0);
}

TEST_CASE("parts, settings and files that differ are told, each once, in the order of their kinds") {
    Folder folder;
    Output old, now;
    old.parts = {{"package", "moorings", "1.2", 100, "aa"},
                 {"module", "tides", "", 10, "a1"},
                 {"module", "gone", "", 7, "b1"},
                 {"library", "libdepth.so.1", "", 50, "c1"},
                 {"runtime", "Python", "3.11", 0, ""}};
    now = old;
    now.version = "1.1";
    now.window = true;
    now.parts[0].version = "1.3";
    now.parts[1].hash = "a2";
    now.parts[1].size = 12;
    now.parts[2] = {"module", "come", "", 8, "b2"};
    old.tree = {{"app/tides.txt", 0644, "high"},
                {"app/same", 0644, "same"},
                {"lib/libdepth.so.1", 0644, "x"},
                {"lib/modules.store", 0644, "code"}};
    now.tree = {{"app/tides.txt", 0644, "low"},
                {"app/same", 0755, "same"},
                {"lib/libdepth.so.1", 0644, "y"},
                {"lib/modules.store", 0644, "other code"},
                {"app/charts/north.txt", 0644, "N"}};
    auto compared = report::compare(written(folder, "old", old), written(folder, "new", now));
    REQUIRE(compared);
    CHECK_FALSE(compared->same);
    CHECK(compared->version_before == "1.0");
    CHECK(compared->version_after == "1.1");
    // What stands for a part, and what is made of parts, is not told again as a file.
    CHECK(told(*compared) == Lines{"setting mode console>window changed", "package moorings 1.2>1.3 changed",
                                   "module come > added", "module gone > removed", "module tides > changed",
                                   "file app/charts/north.txt > added", "file app/same > changed",
                                   "file app/tides.txt > changed"});
    auto json = parse_json(report::comparison_json(*compared));
    CHECK(json_line(json).find("moorings") != std::string::npos);
}

TEST_CASE("new bytes are those of blocks that the old output does not have") {
    Folder folder;
    Output old, now;
    // Long contents have blocks of their own.
    old.tree = {{"a.bin", 0644, noise(1, 3 << 20)}, {"b.bin", 0644, noise(2, 3 << 20)}};
    now.tree = {{"a.bin", 0644, noise(1, 3 << 20)}, {"b.bin", 0644, noise(3, 3 << 20)}};
    auto compared = report::compare(written(folder, "old", old), written(folder, "new", now));
    REQUIRE(compared);
    CHECK(compared->new_bytes > (3u << 20));
    CHECK(compared->new_bytes < (3u << 20) + 10000);
    CHECK(compared->tree_before == 6u << 20);
    CHECK(told(*compared) == Lines{"file b.bin > changed"});
}

TEST_CASE("an output whose list of parts is damaged is not compared") {
    Folder folder;
    Output output;
    output.parts = {{"module", "tides", "", 10, "a1"}};
    output.tree = {{"a", 0644, "one"}};
    auto fine = written(folder, "old", output);
    written(folder, "new", output);
    std::string bytes = *read_text(folder / "new");
    // Between the launcher with the block and the index: the list's own bytes.
    auto segments = fine.segments();
    REQUIRE(segments.size() >= 4);
    bytes[segments[2].offset] ^= 1;
    folder.write("new", bytes);
    auto opened = payload::PayloadContents::open(folder / "new");
    REQUIRE(opened);
    CHECK_FALSE(report::compare(fine, *opened));
}
