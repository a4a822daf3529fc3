// What an application writes outlives it.
#include "logbook.h"
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::logbook;
using omnistasis::test::Workshop;

namespace {

struct Logbook : Workshop {
    explicit Logbook(const std::string& name) : Workshop(name) { test::write_logbook(*this, ""); }
    ProgramOutput build(const std::string& out, const std::string& form = "file") {
        return omnistasis({"build", "--compress", "fast", "--out", out, "--form", form});
    }
    /// Runs with a home of its own, in which data and cache are.
    ProgramOutput run(const std::string& command, const std::string& home = "home") {
        return shell("unset OMNISTASIS_CACHE XDG_DATA_HOME XDG_CACHE_HOME; export HOME=\"$PWD/" + home +
                     "\"; " + command);
    }
};

} // namespace

TEST_CASE("state outlives updates, moves and a removed cache, and all forms share it") {
    Logbook work("state");
    REQUIRE(work.build("one").exit_code == 0);
    REQUIRE(work.build("two", "folder").exit_code == 0);
    CHECK(work.run("./one/logbook a").out == "1 1 2\n");
    CHECK(work.run("./two/logbook/logbook b").out == "2 2 3\n");
    CHECK(work.run("./one/logbook c").out == "3 3 4\n");
    // An update, a move, and a cache that somebody cleared.
    work.write("logbook.py", std::string("# a newer version\n") + logbook);
    REQUIRE(work.build("three").exit_code == 0);
    CHECK(work.run("./three/logbook d").out == "4 4 5\n");
    CHECK(
        work.run("mv two moved; mv one/logbook 'an other'; ./moved/logbook/logbook e; './an other' f").out ==
        "5 5 6\n6 6 7\n");
    CHECK(work.run("rm -rf home/.cache ; ./three/logbook g").out == "7 7 8\n");
    // Nothing was shipped where the state is, and nothing was lost on the way.
    CHECK(work.run("find home/.local/share/logbook -name '*.earlier*' -o -name '*.taken' | wc -l").out ==
          "0\n");
    CHECK(work.shell("cat settings.json").out == "{\"starts\": 0}");
    auto told = work.omnistasis({"inspect", "three/logbook"});
    CHECK(told.out.find("logbook.db") != std::string::npos);
    CHECK(told.out.find(".local/share/logbook") != std::string::npos);
}

TEST_CASE("a tree that its user can't change is copied, and each user has a state") {
    Logbook work("shared");
    REQUIRE(work.build("out", "folder").exit_code == 0);
    // Somebody else's folder.
    auto run = work.run("chown -R 12345 out/logbook; ./out/logbook/logbook a; ./out/logbook/logbook b; find "
                        "out -type l | wc -l");
    CHECK(run.out == "1 1 2\n2 2 3\n0\n");
    CHECK(work.run("./out/logbook/logbook a", "other").out == "1 1 2\n");
    // A copy is made of what was built only.
    auto refused = work.run(
        "rm -rf home/.local/share/omnistasis; echo >> $(echo out/logbook/tree/lib/python3*/modules.store); "
        "./out/logbook/logbook c");
    CHECK(refused.exit_code == 122);
    CHECK(refused.out.empty());
}

TEST_CASE("many first starts at once fill the state once, and a start that is killed leaves it whole") {
    Logbook work("crowd");
    REQUIRE(work.build("out").exit_code == 0);
    work.run("for i in $(seq 20); do ./out/logbook $i > /dev/null & done; wait");
    CHECK(work.run("./out/logbook last").out.starts_with("21 "));
    // As a start leaves it that was killed in the middle of taking in what replaced a link.
    work.run("cd home/.local/share/logbook && cp settings.json settings.json.taken && rm settings.json");
    CHECK(work.run("./out/logbook next").out.starts_with("22 "));
    CHECK(work.run("ls home/.local/share/logbook | grep -c taken").out == "0\n");
}

TEST_CASE("no place for the state is said, before the application runs") {
    Logbook work("nowhere");
    REQUIRE(work.build("out").exit_code == 0);
    auto run = work.run("mkdir -p home/.local/share && touch home/.local/share/logbook; ./out/logbook a");
    CHECK(run.exit_code == 121);
    CHECK(run.err.find("can't keep the application's data in") != std::string::npos);
    CHECK(run.out.empty());
}

TEST_CASE("state paths are checked") {
    Logbook work("wrong");
    for (const char* path : {"/etc/passwd", "../outside", ".", "notes/first"}) {
        auto refused = work.omnistasis({"build", "--state", path});
        INFO(path << refused.err);
        CHECK(refused.exit_code == 3);
        CHECK(refused.err.find(path) != std::string::npos);
    }
    work.write("omnistasis.toml", "[app]\nentry = \"logbook.py\"\n[[state]]\nfrom = \"x\"\n");
    CHECK(work.omnistasis({"build"}).err.find("omnistasis.toml:4:1") != std::string::npos);
}

TEST_CASE("a proof compares what was written as state, and leaves the project's as it was") {
    Logbook work("proof");
    work.write("logbook.db", "");
    REQUIRE(work.build("out").exit_code == 0);
    auto prove = [&] { return work.omnistasis({"prove", "out/logbook", "--against-source", "--", "a"}); };
    auto proof = prove();
    INFO(proof.out << proof.err);
    CHECK(proof.exit_code == 0);
    CHECK(work.shell("cat settings.json; ls notes; stat -c %s logbook.db").out ==
          "{\"starts\": 0}first\n0\n");
    // From source it writes something else now.
    work.write("logbook.py", std::string(logbook) + "(here / 'notes' / 'second').write_text('-')\n");
    proof = prove();
    CHECK(proof.exit_code == 1);
    CHECK(proof.out.find("notes/second") != std::string::npos);
    CHECK(work.shell("ls notes").out == "first\n");
}
