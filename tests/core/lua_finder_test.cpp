// Where modules of Lua are found.
#include "folder.h"
#include "runtimes/lua/module_finder.h"
#include "runtimes/lua/rocks.h"
#include "runtimes/lua/scanner.h"

using namespace omnistasis;
using namespace omnistasis::lua;
using Kind = FoundModule::Kind;

namespace {

Facts facts_of(const test::Folder& folder) {
    Facts facts;
    facts.version = "5.4";
    facts.path = {folder / "share/lua/5.4/?.lua", folder / "share/lua/5.4/?/init.lua", "./?.lua"};
    facts.c_path = {folder / "lib/lua/5.4/?.so", folder / "lib/lua/5.4/loadall.so"};
    facts.built_in = {"string"};
    return facts;
}

} // namespace

TEST_CASE("modules are found as require finds them") {
    test::Folder folder;
    Facts facts = facts_of(folder);
    std::string tide = folder.write("share/lua/5.4/tide.lua"),
                init = folder.write("share/lua/5.4/quay/init.lua"),
                own = folder.write("project/tide/own.lua"), c = folder.write("lib/lua/5.4/lamp/core.so"),
                whole = folder.write("lib/lua/5.4/crane.so");
    folder.write("project/tide.lua"); // behind the system's
    ModuleFinder finder(facts, {folder / "project"});
    CHECK(finder.find("string").kind == Kind::built_in);
    CHECK(finder.find("tide").file == tide);
    CHECK(finder.find("quay").file == init);
    CHECK(finder.find("tide.own").file == own);
    CHECK(finder.find("lamp.core").kind == Kind::extension);
    CHECK(finder.find("lamp.core").file == c);
    // The file of the first part may hold the module; it is known by that part's name.
    CHECK(finder.find("crane.arm").file == whole);
    CHECK(finder.find("crane.arm").name == "crane");
    CHECK(!finder.find("nowhere"));
    CHECK(!finder.find("../tide"));
    CHECK(!finder.find(""));
}

TEST_CASE("templates that an application adds, and names with an unknown part") {
    test::Folder folder;
    Facts facts = facts_of(folder);
    folder.write("project/lib/board.lua");
    folder.write("project/plug/one.lua");
    folder.write("project/plug/two/init.lua");
    folder.write("project/plug/deep/three.lua");
    ModuleFinder finder(facts, {folder / "project"});
    CHECK(!finder.find("board"));
    finder.add(std::string("./lib/?.lua;") + path_before, false);
    CHECK(finder.find("board").file == folder / "project/lib/board.lua");
    std::string name = std::string("plug.") + unknown;
    CHECK(finder.matching(name) == std::vector<std::string>{"plug.deep.three", "plug.one"});
    finder.add("./?/init.lua", false);
    CHECK(finder.matching(name) == std::vector<std::string>{"plug.deep.three", "plug.one", "plug.two"});
}

TEST_CASE("a C module for another version is told") {
    test::Folder folder;
    Facts facts = facts_of(folder);
    std::string other = folder.write("lib/lua/5.1/bell.so");
    ModuleFinder finder(facts, {});
    CHECK(!finder.find("bell"));
    CHECK(finder.for_other_version("bell") == other);
    CHECK(finder.for_other_version("horn").empty());
}

TEST_CASE("packages that LuaRocks installed are known by their files") {
    test::Folder folder;
    std::string rock = "tree/lib/luarocks/rocks-5.4/tide/1.2-1/";
    folder.write(rock + "tide-1.2-1.rockspec",
                 "package = 'tide'\ndescription = { license = 'MIT', homepage = 'h' }");
    folder.write(rock + "rock_manifest",
                 "rock_manifest = { lua = { tide = { ['a.lua'] = '1' } }, lib = { ['t.so'] = '2' } }");
    folder.write("tree/lib/luarocks/rocks-5.4/broken/1-1/rock_manifest", "rock_manifest = {");
    Rocks rocks({folder / "tree/share/lua/5.4", folder / "tree/lib/lua/5.4"}, "5.4");
    REQUIRE(rocks.all().size() == 1);
    CHECK(rocks.all()[0].version == "1.2-1");
    CHECK(rocks.all()[0].licence == "MIT");
    CHECK(rocks.of_file(folder / "tree/share/lua/5.4/tide/a.lua") == &rocks.all()[0]);
    CHECK(rocks.of_file(folder / "tree/lib/lua/5.4/t.so") == &rocks.all()[0]);
    CHECK(rocks.of_file(folder / "tree/share/lua/5.4/other.lua") == nullptr);
}
