#include "folder.h"
#include "runtimes/python/module_finder.h"

using namespace omnistasis;
using namespace omnistasis::python;

namespace {

Facts facts() {
    Facts facts;
    facts.extension_suffixes = {".cpython-311-x86_64-linux-gnu.so", ".abi3.so", ".so"};
    facts.built_in = {"sys"};
    return facts;
}

using Kind = FoundModule::Kind;
using Names = std::vector<std::string>;

} // namespace

TEST_CASE("modules are found in the interpreter's order of preference") {
    test::Folder folder;
    for (const char* name :
         {"a/tide/__init__.py", "a/tide.py", "a/wind.so", "a/wind.py", "b/wave.py", "a/wave.pyc",
          "a/quay/berth.py", "b/quay/crane.py", "a/hull.abi3.so", "a/sys.py"})
        folder.write(name);
    Facts known = facts();
    ModuleFinder finder(known, {folder / "a", folder / "b", folder / "none"});
    CHECK(finder.find("tide").file == folder / "a/tide/__init__.py");
    CHECK(finder.find("tide").is_package);
    CHECK(finder.find("wind").kind == Kind::extension);
    CHECK(finder.find("hull").kind == Kind::extension);
    CHECK(finder.find("wave").kind == Kind::bytecode);
    CHECK(finder.find("sys").kind == Kind::built_in);
    CHECK_FALSE(finder.find("gone"));
    CHECK_FALSE(finder.find("tide.gone"));
    CHECK_FALSE(finder.find("wind.gone"));
    // A folder without __init__.py goes on over the whole path.
    CHECK(finder.find("quay").kind == Kind::namespace_package);
    CHECK(finder.find("quay.berth").file == folder / "a/quay/berth.py");
    CHECK(finder.find("quay.crane").file == folder / "b/quay/crane.py");
    CHECK(finder.modules_in("quay") == Names{"quay.berth", "quay.crane"});
}

TEST_CASE("a module of the library that can't be loaded is not found, and another of its name is") {
    test::Folder folder;
    for (const char* name : {"dynload/_tide.so", "dynload/_wind.so", "site/_wind.py"}) folder.write(name);
    Facts known = facts();
    known.extensions = folder / "dynload";
    known.unloadable = {{"_tide", "/opt/somebody/libtide.dylib"}, {"_wind", "/opt/somebody/libwind.dylib"}};
    ModuleFinder finder(known, {folder / "dynload", folder / "site"});
    CHECK_FALSE(finder.find("_tide"));
    CHECK(finder.find("_wind").file == folder / "site/_wind.py");
}

TEST_CASE("what else could be meant by a name") {
    test::Folder folder;
    for (const char* name : {"a/tide/__init__.py", "a/tide.py", "b/tide.py",
                             "a/hull.cpython-36m-x86_64-linux-gnu.so", "a/tide/depth.py"})
        folder.write(name);
    Facts known = facts();
    ModuleFinder finder(known, {folder / "a", folder / "b"});
    CHECK(finder.elsewhere("tide") == Names{folder / "a/tide.py", folder / "b/tide.py"});
    CHECK(finder.elsewhere("tide.depth").empty());
    CHECK(finder.other_build("hull") == folder / "a/hull.cpython-36m-x86_64-linux-gnu.so");
    CHECK(finder.other_build("tide").empty());
    CHECK(finder.may_have("", "tide"));
    CHECK_FALSE(finder.may_have("", "gone"));
    CHECK(finder.may_have("tide", "depth"));
    CHECK(finder.has_entry(folder / "a", "tide.py"));
    CHECK_FALSE(finder.has_entry(folder / "none", "tide.py"));
}

TEST_CASE("editable installations lead elsewhere") {
    test::Folder folder;
    folder.write("elsewhere/mooring/__init__.py");
    folder.write("elsewhere/mooring/bollard.py");
    Facts known = facts();
    known.editable["mooring"] = folder / "elsewhere/mooring";
    ModuleFinder finder(known, {folder / "a"});
    CHECK(finder.find("mooring.bollard").file == folder / "elsewhere/mooring/bollard.py");
    CHECK(finder.may_have("", "mooring"));
}
