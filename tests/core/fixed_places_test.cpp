#include "folder.h"
#include "native/compiled_paths.h"
#include "native/elf_rewriter.h"
#include "support/subprocess.h"
#include "trace/library_data.h"

#include <catch2/catch.hpp>
#include <set>

using namespace omnistasis;

TEST_CASE("paths that are compiled into a native file") {
    using namespace std::string_view_literals;
    auto text = "\0/usr/share/harbour/charts/\0see /usr/share/no/path\0/etc/tide:/usr/share/misc/tide\0"
                "/usr/lib/x86_64-linux-gnu\0/usr/lib/x86_64-linux-gnu/buoy-2\0/usr/share/locale/de\0"
                "/usr/lib/x86_64-linux-gnu/dri\0/usr/bin/berth\0/usr/share/%s/x\0/usr/lib/buoy/unended"sv;
    CHECK(native::compiled_paths({reinterpret_cast<const std::uint8_t*>(text.data()), text.size()}) ==
          std::vector<std::string>{"/usr/lib/x86_64-linux-gnu/buoy-2", "/usr/share/harbour/charts",
                                   "/usr/share/misc/tide"});
    auto words = "\0harbour-2\0quay/flags.txt\0the harbour-2\0locale\0pier\0"sv;
    CHECK(native::compiled_paths({reinterpret_cast<const std::uint8_t*>(words.data()), words.size()},
                                 {"harbour-2", "quay", "locale", "the"}) ==
          std::vector<std::string>{"/usr/share/harbour-2", "/usr/share/quay"});
}

TEST_CASE("programs that load the library for fixed places find files in the tree") {
    test::Folder tree;
    auto head = read_text("/bin/cat");
    REQUIRE(head);
    ByteSpan cat{reinterpret_cast<const std::uint8_t*>(head->data()), head->size()};
    auto made = native::with_search_path(cat, "$ORIGIN/../lib", "cat", "fixed-places.so");
    REQUIRE(made);
    fs::path program = tree.path() / "bin/cat";
    fs::create_directories(program.parent_path());
    fs::create_directories(tree.path() / "lib");
    REQUIRE(write_new(program, *made, 0755));
    fs::copy_file(OMNISTASIS_FIXED_PLACES, tree.path() / "lib/fixed-places.so");
    tree.write("lib/fixed-places.list", "/usr/share/no such harbour\tshare/charts\n/etc/tides\tshare/t\n");
    tree.write("share/charts/north.txt", "north\n");
    tree.write("share/t", "tides\n");
    auto run = [&](const std::string& path) {
        auto done = run_program({program.string(), path});
        REQUIRE(done);
        return done->out;
    };
    CHECK(run("/usr/share/no such harbour/north.txt") == "north\n");
    CHECK(run("/etc/tides") == "tides\n");
    // Only whole names count, and what the list does not have is the system's.
    CHECK(run("/usr/share/no such harbourside/north.txt").empty());
    CHECK(run("/etc/hostname") == read_text("/etc/hostname").value_or(""));
    // Over whatever way the library was found.
    auto far = native::with_search_path(cat, "$ORIGIN/../lib/../lib", "cat", "fixed-places.so");
    REQUIRE(far);
    fs::remove(program);
    REQUIRE(write_new(program, *far, 0755));
    CHECK(run("/etc/tides") == "tides\n");
}

TEST_CASE("plug-ins of a library go along with its paths, but for what is left out or is too much") {
    test::Folder folder;
    std::string home = folder.path().string();
    folder.write("plug-ins/one.so", "no library\n");
    folder.write("plug-ins/old/two.so", "");
    folder.write("plug-ins/list.cache", "one.so\n");
    folder.write("huge/a", "");
    fs::resize_file(folder.path() / "huge/a", 101u << 20);
    native::HostLibraries host({});
    host.set_plug_ins(
        {{"libharbour.so.*", {home + "/plug-ins", home + "/none", home + "/huge"}, {"old/**"}, {}},
         {"libquay.so.*", {home + "/plug-ins"}, {}, {}}});
    Store none{fs::path()};
    auto data =
        trace::library_data_of({{home + "/libharbour.so.1.2", "libharbour.so.1", true}}, 0, {}, host, none);
    std::set<std::string> places;
    for (const auto& one : data.found) places.insert(one.unit.place);
    CHECK(places == std::set<std::string>{"share" + home + "/plug-ins/list.cache",
                                          "share" + home + "/plug-ins/one.so"});
    CHECK(data.fixed_places ==
          std::map<std::string, std::string>{{home + "/plug-ins", "share" + home + "/plug-ins"}});
    REQUIRE(data.loose_ends.size() == 1);
    CHECK(data.loose_ends[0].kind == "fixed-place");
    // What leads somewhere already is left alone.
    auto again = trace::library_data_of({{"/none/libquay.so.1", "libquay.so.1", false}}, 0, data.fixed_places,
                                        host, none);
    CHECK(again.found.empty());
}
