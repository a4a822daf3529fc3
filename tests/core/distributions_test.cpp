#include "folder.h"
#include "runtimes/python/distributions.h"
#include "runtimes/python/lore.h"

#include <algorithm>

using namespace omnistasis;
using namespace omnistasis::python;

TEST_CASE("names of distributions are normalized") {
    CHECK(normalized_distribution_name("Harbour_Tools") == "harbour-tools");
    CHECK(normalized_distribution_name("harbour.-_tools") == "harbour-tools");
    CHECK(normalized_distribution_name("").empty());
}

TEST_CASE("installed distributions with version and entry points") {
    test::Folder folder;
    folder.write("Harbour_Tools-1.20.dist-info/METADATA", "Name: harbour-tools\n");
    folder.write("Harbour_Tools-1.20.dist-info/entry_points.txt",
                 "# programs\n[console_scripts]\nquay = harbour.app:main "
                 "[extra]\n\n[harbour.feeds]\nwind=harbour.wind\n");
    folder.write("rope.egg-info", "Name: rope\n");
    folder.write("anchor-2-py3.11.egg-info/PKG-INFO");
    auto found = find_distributions({folder.path(), folder / "none"});
    REQUIRE(found.size() == 3);
    CHECK(found[0].name == "harbour-tools");
    CHECK(found[0].version == "1.20");
    CHECK(found[0].entry_points["console_scripts"]["quay"] == "harbour.app:main");
    CHECK(found[0].entry_points["harbour.feeds"]["wind"] == "harbour.wind");
    CHECK(found[1].version == "2");
    CHECK(found[2].is_file);
    CHECK(found[2].version.empty());
}

TEST_CASE("what a distribution requires") {
    test::Folder folder;
    folder.write("quay-1.dist-info/METADATA", "Name: quay\nRequires-Dist: Tide_Tables (>=2)\nRequires-Dist: "
                                              "rope; extra == 'all'\n\nRequires-Dist is a field\n");
    folder.write("pier-1.egg-info/requires.txt", "anchor>=1\n\n[extra]\nbuoy\n");
    auto found = find_distributions({folder.path()});
    REQUIRE(found.size() == 2);
    CHECK(required_distributions(found[0]) == std::set<std::string>{"anchor", "buoy"});
    CHECK(required_distributions(found[1]) == std::set<std::string>{"tide-tables", "rope"});
}

TEST_CASE("every key of package lore is read") {
    test::Folder folder;
    Lore notes;
    std::string file = folder.write("n.toml", R"toml(format = 1
[[lore]]
module = ["tkdial", "tkdial.face"]
why = "faces are files"
include = "tkdial.faces.*"
leave_out = ["unittest"]
parts = [".apps"]
on_request = ["wx"]
one_of = ["face_6", "face_5"]
as_files = ["tkdial.table"]
libraries = ["libdial.so.1"]
calls = ["Face.load"]
versions = { tkdial = ">=1,<2" }
when_named = { dial = ["tkdial.hands"] }
stands_for = { "tkdial.old" = "tkdial.new" }
during = { import = { DIAL_HOME = "lib/dial" } }
moved = { tkdial = { "/usr/share/dial" = "share/dial" } }
data = [{ from = ["{package}/faces"], holding = "a.png", to = "lib/dial", without = ["*.xcf"] }]
)toml");
    REQUIRE(read_lore_file(file, notes));
    REQUIRE(notes.size() == 2);
    const LoreEntry& note = notes.find("tkdial.face")->second;
    CHECK(note.include == std::vector<std::string>{"tkdial.faces.*"});
    CHECK(note.on_request == std::vector<std::string>{"wx"});
    CHECK(note.one_of == std::vector<std::string>{"face_6", "face_5"});
    CHECK(note.as_files == std::vector<std::string>{"tkdial.table"});
    CHECK(note.libraries == std::vector<std::string>{"libdial.so.1"});
    CHECK(note.calls == std::vector<std::string>{"Face.load"});
    CHECK(note.versions.at("tkdial") == ">=1,<2");
    CHECK(note.when_named.at("dial").front() == "tkdial.hands");
    CHECK(note.stands_for.at("tkdial.old") == "tkdial.new");
    CHECK(note.during.at("import").at("DIAL_HOME") == "lib/dial");
    CHECK(note.moved.at("tkdial").at("/usr/share/dial") == "share/dial");
    REQUIRE(note.data.size() == 1);
    CHECK(note.data[0].holding == "a.png");
    CHECK(note.data[0].without == std::vector<std::string>{"*.xcf"});
}

TEST_CASE("package lore that is wrong names its line") {
    test::Folder folder;
    for (const char* text :
         {"format = 2\n", "format = 1\n[[lore]]\nmodule = 3\n", "format = 1\n[[lore]]\nwhy = \"x\"\n",
          "format = 1\n[[lore]]\nmodule = \"x\"\nwhy = \"y\"\ndata = [{ to = \"z\" }]\n",
          "format = 1\n[[lore]]\nmodule = \"x\"\nwhy = \"y\"\nduring = { f = 1 }\n", "format = 1\nx = 1\n",
          "note = \n"}) {
        INFO(text);
        Lore notes;
        auto read = read_lore_file(folder.write("n.toml", text), notes);
        REQUIRE_FALSE(read);
        CHECK(read.error().where.find("n.toml:") != std::string::npos);
    }
    Lore notes;
    CHECK_FALSE(read_lore_file(folder / "gone.toml", notes));
}

TEST_CASE("a licence with empty lines does not hide what a distribution requires") {
    test::Folder folder;
    folder.write(
        "quay-1.dist-info/METADATA",
        "Name: quay\nLicense: One\n        \n        Two\nRequires-Dist: rope\n\nRequires-Dist: no field\n");
    CHECK(required_distributions(find_distributions({folder.path()})[0]) == std::set<std::string>{"rope"});
}

TEST_CASE("conditions of requirements in the older form") {
    test::Folder folder;
    folder.write("pier-1.egg-info/requires.txt", "anchor\n\n[fast]\nbuoy\n\n[:python_version<'3']\nold\n");
    auto required = requirements_of(find_distributions({folder.path()})[0]);
    REQUIRE(required.size() == 3);
    CHECK(required[0].marker.empty());
    CHECK(required[1].marker == "extra == 'fast'");
    CHECK(required[2].marker == "python_version<'3'");
}

TEST_CASE("files of a distribution with a list, and without one") {
    test::Folder folder;
    folder.write("lib/quay/__init__.py", "1234");
    folder.write("lib/quay/table, old.csv", "12");
    folder.write("bin/quay", "x");
    folder.write("lib/quay-1.dist-info/RECORD",
                 "quay/__init__.py,sha256=abc,4\n\"quay/table, old.csv\",,\n"
                 "quay/__pycache__/__init__.cpython-311.pyc,,\n../bin/quay,sha256=d,1\n"
                 "quay-1.dist-info/RECORD,,\n");
    folder.write("lib/pier/__init__.py", "x");
    folder.write("lib/pier/deep/map.txt", "abc");
    folder.write("lib/pier-1.egg-info/top_level.txt", "pier\n");
    auto found = find_distributions({folder / "lib"});
    REQUIRE(found.size() == 2);
    std::ranges::sort(found, {}, &Distribution::name);
    auto paths = [&](const Distribution& one) {
        std::vector<std::string> names;
        for (const DistributionFile& file : files_of(one))
            names.push_back(relative_to(file.path, folder.path().string()));
        return names;
    };
    CHECK(paths(found[0]) == std::vector<std::string>{"lib/pier/__init__.py", "lib/pier/deep/map.txt"});
    CHECK(paths(found[1]) ==
          std::vector<std::string>{"bin/quay", "lib/quay/__init__.py", "lib/quay/table, old.csv"});
    CHECK(files_of(found[1])[2].size == 2); // looked up, as the list does not tell
    FileOwners owners(found);
    CHECK(owners.owner_of(folder / "bin/quay")->name == "quay");
    CHECK(owners.owner_of(folder / "lib/pier/deep/map.txt")->name == "pier");
    CHECK(owners.owner_of(folder / "lib/other.py") == nullptr);
    // A folder's name does not end at its first dot, as a file's does.
    CHECK(owners.owner_of(folder / "lib/pier.cpython-311.so")->name == "pier");
    CHECK(owners.owner_of(folder / "lib/pier.mole-2.egg-info/PKG-INFO") == nullptr);
}
