// What a piece of work looked at on disk, and whether it is so still.
#include "folder.h"
#include "support/witness.h"
#include "trace/kept_trace.h"

using namespace omnistasis;

namespace {

/// Once the files are old enough for a change to show.
std::string testimony_of(const std::function<void()>& work) {
    for (;;) {
        Witness witness;
        work();
        if (auto testimony = witness.testimony()) return *testimony;
    }
}

} // namespace

TEST_CASE("a witness sees whether files, folders and missing names stay as they were") {
    test::Folder folder;
    folder.write("a.txt", "one");
    folder.write("inner/b.txt", "two");
    std::string read = testimony_of([&] { CHECK(read_text(folder / "a.txt")); });
    std::string missed = testimony_of([&] { CHECK_FALSE(is_file(folder / "inner/c.txt")); });
    std::string listed = testimony_of([&] { CHECK(list_folder(folder / "inner").size() == 1); });
    for (const std::string* testimony : {&read, &missed, &listed})
        CHECK(Witness::changes_since(*testimony)->empty());
    folder.write("a.txt", "another");
    CHECK_FALSE(Witness::changes_since(read)->empty());
    CHECK(Witness::changes_since(missed)->empty());
    folder.write("inner/c.txt");
    CHECK_FALSE(Witness::changes_since(missed)->empty());
    CHECK_FALSE(Witness::changes_since(listed)->empty());
    CHECK_FALSE(Witness::changes_since(read.substr(0, read.size() - 1)));
}

TEST_CASE("a witness is silent about what is still changing, and about what can't be looked at") {
    test::Folder folder;
    {
        Witness witness;
        CHECK(read_text(folder.write("new.txt", "just now")));
        CHECK_FALSE(witness.testimony());
    }
    Witness witness;
    Witness::saw_what_cannot_be_checked();
    CHECK_FALSE(witness.testimony());
}

TEST_CASE("a kept trace comes back as it was, and not from damaged bytes") {
    trace::Traced traced;
    traced.runtime = "Python 3.11.2";
    traced.graph.units = {{trace::UnitKind::code, "quay", "/q.py", "app/q.py", true, false},
                          {trace::UnitKind::native, "libtide.so.1", "/lib/t", "lib/t", false, true}};
    traced.graph.units[1].member = trace::ArchiveMember{"lib/libtide.so.1", 300};
    traced.graph.edges = {{0, 1, {"opens", "/q.py", 7, true}}};
    traced.graph.roots = {0};
    traced.graph.loose_ends = {{"kind", "what", "/f", 3, "effect", "advice", true}};
    traced.graph.absent = {{"winreg", "/f", 1, true}};
    traced.graph.left_out = {{"wx", "/f", 2}};
    traced.graph.not_carried = {"ropework", "tidekit"};
    std::string bytes = trace::stored_form(traced.graph, traced.runtime);
    auto back = trace::traced_from_stored_form(bytes);
    REQUIRE(back);
    CHECK(trace::stored_form(back->graph, back->runtime) == bytes);
    CHECK(back->graph.edges[0].reason.line == 7);
    CHECK_FALSE(back->graph.units[0].member);
    CHECK(back->graph.units[1].member->name == "lib/libtide.so.1");
    for (std::size_t size = 0; size < bytes.size(); ++size)
        CHECK_FALSE(trace::traced_from_stored_form(bytes.substr(0, size)));
    for (std::size_t i = 0; i < bytes.size(); ++i) {
        std::string changed = bytes;
        changed[i] = static_cast<char>(changed[i] ^ 0xff);
        (void)trace::traced_from_stored_form(changed); // whatever comes back, it is sound
    }
}
