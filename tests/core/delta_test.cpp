// Deltas between outputs: made, applied, refused.
#include "folder.h"
#include "payload/delta.h"
#include "payload/payload_contents.h"
#include "payload/payload_writer.h"
#include "silent_observer.h"

#include <random>
#include <sys/stat.h>

using namespace omnistasis;
using namespace omnistasis::payload;
using test::Folder;

namespace {

std::string noise(unsigned seed, std::size_t size) {
    std::mt19937 random(seed);
    std::string text(size, '\0');
    for (char& c : text) c = static_cast<char>(random());
    return text;
}

/// Writes an output of the file form.
std::string output(const Folder& folder, const std::string& name, const std::string& version,
                   std::vector<TreeFile> tree) {
    test::SilentObserver silent;
    Store none{fs::path()};
    fs::create_directories((folder.path() / name).parent_path());
    Description description{"tideboard", version, std::string("bin/app\0", 8), false, "", "", ""};
    auto done = write_output(folder / name, "launcher " + std::string(500, 'x'), tree, description,
                             {3, nullptr}, none, silent);
    REQUIRE(done);
    ::chmod((folder / name).c_str(), 0755);
    return folder / name;
}

std::string bytes_of(const std::string& file) {
    auto text = read_text(file);
    REQUIRE(text);
    return *text;
}

/// Writes an output of the folder form: launcher, tree, and a file beside them.
std::string output_folder(const Folder& folder, const std::string& name, const std::string& version,
                          std::vector<TreeFile> tree, const std::string& menu_entry) {
    test::SilentObserver silent;
    Store none{fs::path()};
    for (const TreeFile& file : tree) folder.write(name + "/tree/" + file.place, file.content);
    folder.write(name + "/share/board.desktop", menu_entry);
    Description description{"tideboard", version, std::string("bin/app\0", 8), false, "", "tree", ""};
    fs::path file = folder.path() / name / "tideboard";
    REQUIRE(write_output(file, "launcher " + std::string(500, 'x'), tree, description, {3, nullptr}, none,
                         silent));
    ::chmod(file.c_str(), 0755);
    return file.string();
}

struct FolderVersions : Folder {
    std::string old_one =
        output_folder(*this, "v1", "1.0", {{"bin/app", 0644, "program"}, {"a.txt", 0644, "one"}}, "old menu");
    std::string new_one =
        output_folder(*this, "v2", "1.1", {{"bin/app", 0644, "program"}, {"a.txt", 0644, "two"}}, "new menu");
    std::string delta = *this / "up.delta";
};

struct Versions : Folder {
    std::string data = noise(1, 3u << 20);
    std::string old_one =
        output(*this, "v1/tideboard", "1.0",
               {{"bin/app", 0755, "the program"}, {"data/tides", 0644, data}, {"a.txt", 0644, "one"}});
    std::string new_one =
        output(*this, "v2/tideboard", "1.1",
               {{"bin/app", 0755, "the program"}, {"data/tides", 0644, data}, {"a.txt", 0644, "two"}});
    std::string delta = *this / "up.delta";
};

} // namespace

TEST_CASE("a delta turns the old output into the new one, to the byte") {
    Versions versions;
    auto made = make_delta(versions.old_one, versions.new_one, versions.delta);
    REQUIRE(made);
    CHECK(made->form == "file");
    CHECK(made->base_version == "1.0");
    CHECK(made->result_version == "1.1");
    CHECK(made->taken > made->result_size / 2);
    CHECK(fs::file_size(versions.delta) < fs::file_size(versions.new_one) / 20);
    auto applied = apply_delta(versions.old_one, versions.delta, {});
    REQUIRE(applied);
    CHECK_FALSE(applied->was_there);
    CHECK(bytes_of(versions.old_one) == bytes_of(versions.new_one));
    auto contents = PayloadContents::open(versions.old_one);
    REQUIRE(contents);
    CHECK(contents->verify());
}

TEST_CASE("applied a second time a delta does nothing") {
    Versions versions;
    REQUIRE(make_delta(versions.old_one, versions.new_one, versions.delta));
    REQUIRE(apply_delta(versions.old_one, versions.delta, {}));
    auto again = apply_delta(versions.old_one, versions.delta, {});
    REQUIRE(again);
    CHECK(again->was_there);
}

TEST_CASE("a delta may put the result elsewhere, and leaves the base alone") {
    Versions versions;
    REQUIRE(make_delta(versions.old_one, versions.new_one, versions.delta));
    std::string before = bytes_of(versions.old_one);
    auto applied = apply_delta(versions.old_one, versions.delta, versions / "elsewhere");
    REQUIRE(applied);
    CHECK(applied->output == versions / "elsewhere");
    CHECK(bytes_of(versions / "elsewhere") == bytes_of(versions.new_one));
    CHECK(bytes_of(versions.old_one) == before);
    versions.write("taken", "mine");
    auto taken = apply_delta(versions.old_one, versions.delta, versions / "taken");
    REQUIRE_FALSE(taken);
    CHECK(bytes_of(versions / "taken") == "mine");
}

TEST_CASE("a delta for another base is refused, and nothing changes") {
    Versions versions;
    REQUIRE(make_delta(versions.old_one, versions.new_one, versions.delta));
    std::string other = output(versions, "v3/tideboard", "1.0", {{"bin/app", 0755, "another program"}});
    std::string before = bytes_of(other);
    auto applied = apply_delta(other, versions.delta, {});
    REQUIRE_FALSE(applied);
    CHECK(applied.error().kind == ErrorKind::bad_input);
    CHECK(bytes_of(other) == before);
}

TEST_CASE("a damaged delta is refused, and nothing changes") {
    Versions versions;
    REQUIRE(make_delta(versions.old_one, versions.new_one, versions.delta));
    std::string whole = bytes_of(versions.delta), before = bytes_of(versions.old_one);
    for (std::size_t at :
         {std::size_t(0), std::size_t(9), whole.size() / 3, whole.size() / 2, whole.size() - 1}) {
        std::string damaged = whole;
        damaged[at] = static_cast<char>(damaged[at] ^ 0x40);
        versions.write("damaged.delta", damaged);
        INFO(at);
        CHECK_FALSE(apply_delta(versions.old_one, versions / "damaged.delta", {}));
        CHECK(bytes_of(versions.old_one) == before);
    }
    for (std::size_t size : {std::size_t(0), std::size_t(7), std::size_t(30), whole.size() - 1}) {
        versions.write("cut.delta", whole.substr(0, size));
        CHECK_FALSE(apply_delta(versions.old_one, versions / "cut.delta", {}));
        CHECK(bytes_of(versions.old_one) == before);
    }
}

TEST_CASE("a damaged base is refused before anything is written") {
    Versions versions;
    REQUIRE(make_delta(versions.old_one, versions.new_one, versions.delta));
    std::string damaged = bytes_of(versions.old_one);
    damaged[damaged.size() / 2] = static_cast<char>(damaged[damaged.size() / 2] ^ 1);
    versions.write("v1/tideboard", damaged);
    CHECK_FALSE(apply_delta(versions.old_one, versions.delta, {}));
    CHECK(bytes_of(versions.old_one) == damaged);
    CHECK_FALSE(make_delta(versions.old_one, versions.new_one, versions / "b.delta"));
}

TEST_CASE("what is no output has no delta") {
    Versions versions;
    versions.write("plain", "no output at all");
    CHECK_FALSE(make_delta(versions / "plain", versions.new_one, versions.delta));
    CHECK_FALSE(make_delta(versions.old_one, versions / "gone", versions.delta));
    CHECK_FALSE(apply_delta(versions / "plain", versions.delta, {}));
    CHECK_FALSE(executable_of(versions / "gone"));
    auto itself = executable_of(versions.old_one);
    REQUIRE(itself);
    CHECK(*itself == versions.old_one);
}

TEST_CASE("equal inputs give an equal delta") {
    Versions versions;
    REQUIRE(make_delta(versions.old_one, versions.new_one, versions.delta));
    REQUIRE(make_delta(versions.old_one, versions.new_one, versions / "again.delta"));
    CHECK(bytes_of(versions.delta) == bytes_of(versions / "again.delta"));
}

TEST_CASE("a folder's delta brings what lies beside the tree along, and keeps what others put there") {
    FolderVersions versions;
    versions.write("v1/notes.txt", "the user's own");
    REQUIRE(make_delta(versions.old_one, versions.new_one, versions.delta));
    REQUIRE(apply_delta(versions.old_one, versions.delta, {}));
    CHECK(bytes_of(versions / "v1/tree/a.txt") == "two");
    CHECK(bytes_of(versions / "v1/share/board.desktop") == "new menu");
    CHECK(bytes_of(versions / "v1/notes.txt") == "the user's own");
    CHECK(PayloadContents::open(versions.old_one)->verify());
}

TEST_CASE("what a stopped call left of another delta is neither kept nor followed") {
    FolderVersions versions;
    REQUIRE(make_delta(versions.old_one, versions.new_one, versions.delta));
    // As a call for another delta left it: a file of that one, and a link of the output's that was taken
    // over.
    versions.write(".v1.delta-part/tree/of_another", "stale");
    versions.write("elsewhere/kept.txt", "kept");
    fs::create_directory_symlink(versions / "elsewhere", versions / ".v1.delta-part/share");
    REQUIRE(apply_delta(versions.old_one, versions.delta, {}));
    CHECK_FALSE(fs::exists(versions / "v1/tree/of_another"));
    CHECK_FALSE(fs::is_symlink(versions / "v1/share"));
    CHECK(bytes_of(versions / "v1/share/board.desktop") == "new menu");
    CHECK_FALSE(fs::exists(versions / "elsewhere/board.desktop"));
    CHECK(bytes_of(versions / "elsewhere/kept.txt") == "kept");
    CHECK_FALSE(fs::exists(versions / ".v1.delta-part"));
}
