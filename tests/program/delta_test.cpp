// What changed between two outputs, and what turns one into the other.
#include "support/json.h"
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

/// Two versions of a program, in both forms: `old/` and `new/`, `old-folder/` and `new-folder/`.
struct TwoVersions : Workshop {
    explicit TwoVersions(const std::string& name) : Workshop(name) {
        write("berths.py", "NAMES = ['North', 'South']\n" + std::string(3000, '#') + "\n");
        write("tides.py", "import berths, json\nprint('one', berths.NAMES)\n");
        write("charts/a.bin", std::string(200000, 'a'));
        build("old", "1.0");
        write("tides.py", "import berths, csv\nprint('two', berths.NAMES)\n");
        write("charts/b.bin", "new");
        build("new", "1.1");
    }
    void build(const std::string& out, const std::string& version) {
        write("omnistasis.toml", "[app]\nentry = \"tides.py\"\nversion = \"" + version +
                                     "\"\n[[asset]]\nfrom = \"charts/**\"\n");
        for (std::string form : {"", "folder"}) {
            auto built = omnistasis({"build", "--compress", "fast", "--form", form.empty() ? "file" : form,
                                     "--out", form.empty() ? out : out + "-folder"});
            INFO(built.err);
            REQUIRE(built.exit_code == 0);
        }
    }
    ProgramOutput make(const std::string& from, const std::string& to, const std::string& file) {
        return omnistasis({"delta", "make", from, to, "-o", file});
    }
};

} // namespace

TEST_CASE("compare names what changed") {
    TwoVersions work("compare");
    auto told = work.omnistasis({"compare", "old/tides", "new/tides"});
    INFO(told.out << told.err);
    CHECK(told.exit_code == 0);
    for (const char* expected :
         {"tides 1.0 -> tides 1.1", "csv", "json", "gone", "app/charts/b.bin", "new, 3 B", "__main__"})
        CHECK(told.out.find(expected) != std::string::npos);
    CHECK(told.out.find("berths") == std::string::npos);
    auto of_folders = work.omnistasis({"compare", "old-folder/tides", "new-folder/tides", "--json"});
    auto json = parse_json(of_folders.out);
    CHECK_FALSE(json["same"].get<bool>());
    CHECK(work.omnistasis({"compare", "old/tides", "old/tides"}).out.find("the same, to the last byte") !=
          std::string::npos);
    CHECK(work.omnistasis({"compare", "old/tides", "new-folder/tides"}).out.find("file -> folder") !=
          std::string::npos);
    CHECK(work.omnistasis({"compare", "old/tides", "tides.py"}).exit_code == 3);
    CHECK(work.omnistasis({"compare", "old/tides", "nothing"}).exit_code == 3);
}

TEST_CASE("a delta turns the old file into the new one") {
    TwoVersions work("delta file");
    REQUIRE(work.make("old/tides", "new/tides", "d").exit_code == 0);
    CHECK(fs::file_size(work.path("d")) * 4 < fs::file_size(work.path("new/tides")));
    work.shell("mkdir at; cp old/tides at/tides");
    // Elsewhere first, then in its place, then again.
    CHECK(work.omnistasis({"delta", "apply", "at/tides", "d", "-o", "at/other"}).exit_code == 0);
    CHECK(work.shell("cmp at/other new/tides && cmp at/tides old/tides").exit_code == 0);
    CHECK(work.omnistasis({"delta", "apply", "at/tides", "d", "-o", "at/other"}).exit_code == 3);
    CHECK(work.omnistasis({"delta", "apply", "at/tides", "d"}).exit_code == 0);
    CHECK(work.shell("cmp at/tides new/tides; ./at/tides; ls -A at | wc -l").out ==
          "two ['North', 'South']\n2\n");
    CHECK(work.omnistasis({"delta", "apply", "at/tides", "d"}).out.find("already") != std::string::npos);
    // What an interrupted run left, right or wrong, does no harm.
    work.shell("cp old/tides at/tides; (head -c 700000 new/tides; head -c 500000 /dev/urandom) > "
               "at/.tides.delta-part");
    CHECK(work.omnistasis({"delta", "apply", "at/tides", "d"}).exit_code == 0);
    CHECK(work.shell("cmp at/tides new/tides && ls -A at | wc -l").out == "2\n");
}

TEST_CASE("a delta of a folder writes only what changed, and keeps what others put there") {
    TwoVersions work("delta folder");
    REQUIRE(work.make("old-folder/tides", "new-folder/tides", "d").exit_code == 0);
    work.shell("cp -r old-folder at; echo mine > at/tides/mine.txt; ln -s nowhere at/tides/tree/link");
    auto number = [&] { return work.shell("stat -c %i at/tides/tree/lib/lib*.so*").out; };
    std::string before = number();
    auto applied = work.omnistasis({"delta", "apply", "at/tides", "d"});
    INFO(applied.err);
    REQUIRE(applied.exit_code == 0);
    CHECK(number() == before);
    CHECK(work.shell("diff -r at/tides new-folder/tides | sort; ./at/tides/tides; ls -A at | wc -l").out ==
          "Only in at/tides/tree: link\nOnly in at/tides: mine.txt\ntwo ['North', 'South']\n4\n");
    CHECK(work.omnistasis({"delta", "apply", "at/tides", "d"}).out.find("already") != std::string::npos);
    // A folder that somebody changed is refused, and left alone.
    work.shell("rm -r at; cp -r old-folder at; echo >> at/tides/tree/app/charts/a.bin");
    auto refused = work.omnistasis({"delta", "apply", "at/tides", "d"});
    CHECK(refused.exit_code == 3);
    CHECK(refused.err.find("a.bin") != std::string::npos);
    CHECK(work.shell("cmp at/tides/tides old-folder/tides/tides && ls -A at").out.find("delta") ==
          std::string::npos);
    work.shell("rm at/tides/tree/app/charts/a.bin");
    auto lacking = work.omnistasis({"delta", "apply", "at/tides", "d"});
    CHECK(lacking.exit_code == 3);
    CHECK(lacking.err.find("a.bin") != std::string::npos);
}

TEST_CASE("deltas for other outputs, damaged ones and no deltas are refused") {
    TwoVersions work("delta wrong");
    REQUIRE(work.make("old/tides", "new/tides", "d").exit_code == 0);
    auto refuse = [&](const std::string& output, const std::string& delta, const std::string& text) {
        auto refused = work.omnistasis({"delta", "apply", output, delta});
        INFO(refused.err);
        CHECK(refused.exit_code == 3);
        CHECK(refused.err.find(text) != std::string::npos);
    };
    refuse("old-folder/tides", "d", "the delta is for another output");
    refuse("old/tides", "tides.py", "it is no delta");
    refuse("old/tides", "nothing", "nothing");
    refuse("tides.py", "d", "tides.py");
    CHECK(work.make("old/tides", "new-folder/tides", "x").err.find("different forms") != std::string::npos);
    std::string delta = read_text(work.path("d")).value();
    std::string old = read_text(work.path("old/tides")).value();
    for (std::size_t at :
         {std::size_t(9), std::size_t(30), std::size_t(90), delta.size() / 2, delta.size() - 3}) {
        std::string bad = delta;
        bad[at] = static_cast<char>(bad[at] ^ 1);
        work.write("bad", bad);
        refuse("old/tides", "bad", "delta");
        work.write("bad", delta.substr(0, at));
        refuse("old/tides", "bad", "delta");
    }
    // A base that is damaged where nobody looks at first.
    std::string damaged = old;
    damaged[old.size() / 2] = static_cast<char>(damaged[old.size() / 2] ^ 1);
    work.write("damaged", damaged);
    refuse("damaged", "d", "damaged");
    CHECK(read_text(work.path("old/tides")).value() == old);
}
