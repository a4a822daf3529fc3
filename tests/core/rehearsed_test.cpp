#include "folder.h"
#include "project/rehearsed.h"

using namespace omnistasis;

namespace {

Rehearsed sample() {
    Rehearsed facts;
    facts.modules = {{"harbour.plugins.wind", "main.py:4"}, {"harbour", "main.py:4"}};
    facts.files = {{"", "data/d\xC3\xA9pth \"7\".txt"}, {"matplotlib", "mpl-data/a.mplstyle"}};
    facts.libraries = {"libmagic.so.1"};
    facts.programs = {"/usr/bin/git"};
    facts.written = {"log.db"};
    return facts;
}

} // namespace

TEST_CASE("facts of rehearsals are written and read") {
    test::Folder folder;
    std::string text = rehearsed_text(sample());
    auto back = read_rehearsed(folder.write("a.toml", text));
    REQUIRE(back);
    CHECK(rehearsed_text(*back) == text);
    CHECK(back->size() == 7);
    CHECK(back->files.contains({"", "data/d\xC3\xA9pth \"7\".txt"}));
    CHECK(back->modules.begin()->from == "main.py:4");
}

TEST_CASE("a file of facts that is not there holds none") {
    auto facts = read_rehearsed("/nowhere/a.toml");
    REQUIRE(facts);
    CHECK(facts->size() == 0);
}

TEST_CASE("facts add up, and who saw a module first stays") {
    Rehearsed one = sample();
    Rehearsed other;
    other.modules = {{"harbour", "other.py:9"}, {"anchor", "other.py:1"}};
    other.written = {"log.db", "moor.db"};
    one.merge(other);
    CHECK(one.modules.size() == 3);
    CHECK(one.modules.find({"harbour", ""})->from == "main.py:4");
    CHECK(one.written.size() == 2);
    CHECK(one.size() == 9);
}
