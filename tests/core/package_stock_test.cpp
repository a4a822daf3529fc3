// Packages for other systems: wheels, the lock that names them, the environments that are made of them.
#include "folder.h"
#include "runtimes/python/package_lock.h"
#include "runtimes/python/package_stock.h"
#include "runtimes/python/wheel.h"
#include "support/archive.h"

#include <algorithm>

using namespace omnistasis;
using namespace omnistasis::python;
using test::Folder;

namespace {

/// The SHA-256 of "TIDE = 7\n" as RECORD has it.
constexpr const char* digest_of_tide = "sha256=KW3wupO5jkOb5IzNI7h8tbr7J2-MQKprGcq9k6RQ0Kk";

/// A wheel of files; `record` is its list.
fs::path wheel(const Folder& folder, const std::string& name, const std::string& distribution,
               const std::vector<std::pair<std::string, std::string>>& files, const std::string& record) {
    fs::path inner = folder.path() / ("of " + name);
    for (const auto& [file, content] : files) folder.write("of " + name + "/" + file, content);
    folder.write("of " + name + "/" + distribution + ".dist-info/METADATA",
                 "Metadata-Version: 2.1\nName: tides\nVersion: 1.0\n");
    folder.write("of " + name + "/" + distribution + ".dist-info/RECORD",
                 record + distribution + ".dist-info/METADATA,,\n" + distribution + ".dist-info/RECORD,,\n");
    fs::path made = folder.path() / name;
    std::string command = "cd '" + inner.string() + "' && python3 -m zipfile -c '" + made.string() + "' *";
    REQUIRE(std::system(command.c_str()) == 0);
    return made;
}

LockedPackage locked(const std::string& file, const std::string& sha256) {
    return {"windows-x86_64", "3.11", "tides", "1.0", file, sha256};
}

} // namespace

TEST_CASE("names of wheels, and what they fit") {
    auto name = read_wheel_name("Tide_Tables-1.0-cp311-cp311-win_amd64.whl");
    REQUIRE(name);
    CHECK(name->name == "tide-tables");
    CHECK(name->version == "1.0");
    CHECK(read_wheel_name("tides-1.0-2-py3-none-any.whl")->interpreters == "py3");
    for (const char* none : {"tides-1.0.tar.gz", "tides-1.0-py3-none.whl", "tides.whl", ""})
        CHECK_FALSE(read_wheel_name(none));

    auto runs = [](const std::string& tags, int minor, const char* target) {
        return fits(*read_wheel_name("tides-1.0-" + tags + ".whl"), minor, target);
    };
    CHECK(runs("cp311-cp311-win_amd64", 11, "windows-x86_64"));
    CHECK_FALSE(runs("cp311-cp311-win_amd64", 12, "windows-x86_64"));
    CHECK_FALSE(runs("cp311-cp311-win32", 11, "windows-x86_64"));
    CHECK(runs("cp38-abi3-win_amd64", 12, "windows-x86_64"));
    CHECK_FALSE(runs("cp313-abi3-win_amd64", 12, "windows-x86_64"));
    CHECK(runs("py2.py3-none-any", 13, "macos-aarch64"));
    CHECK(runs("cp312-cp312-macosx_11_0_arm64", 12, "macos-aarch64"));
    CHECK(runs("cp312-cp312-macosx_10_9_universal2", 12, "macos-x86_64"));
    CHECK_FALSE(runs("cp312-cp312-macosx_11_0_arm64", 12, "macos-x86_64"));
    CHECK(runs("cp311-cp311-manylinux_2_17_aarch64.manylinux2014_aarch64", 11, "linux-aarch64"));
    CHECK_FALSE(runs("cp311-cp311-musllinux_1_1_aarch64", 11, "linux-aarch64"));
    for (const char* target : {"windows-x86_64", "linux-aarch64", "macos-aarch64", "macos-x86_64"})
        for (const std::string& tag : platform_tags(target)) CHECK(runs("cp311-cp311-" + tag, 11, target));
}

TEST_CASE("a wheel is unpacked as its own list says, and not otherwise") {
    Folder folder;
    std::string record = std::string("tides/__init__.py,") + digest_of_tide + ",9\n";
    fs::path good =
        wheel(folder, "tides-1.0-py3-none-any.whl", "tides-1.0",
              {{"tides/__init__.py", "TIDE = 7\n"}, {"tides-1.0.data/data/share/tides/a.txt", "a"}},
              record + "tides-1.0.data/data/share/tides/a.txt,,1\n");
    fs::path environment = folder.path() / "environment";
    auto done = unpack_wheel(good, environment, "Lib/site-packages");
    INFO((done ? "" : done.error().what + done.error().why));
    REQUIRE(done);
    CHECK(read_text(environment / "Lib/site-packages/tides/__init__.py").value() == "TIDE = 7\n");
    CHECK(is_file(environment / "share/tides/a.txt"));
    CHECK(list_folder(environment).size() == 2);

    auto refused = [&](const std::string& name, const std::vector<std::pair<std::string, std::string>>& files,
                       const std::string& lines) {
        fs::path bad = wheel(folder, name, "tides-1.0", files, lines);
        auto result = unpack_wheel(bad, folder.path() / ("for " + name), "Lib/site-packages");
        REQUIRE_FALSE(result);
        CHECK(list_folder(folder.path() / ("for " + name)).empty());
        return result.error().why;
    };
    CHECK(refused("changed-1.0-py3-none-any.whl", {{"tides/__init__.py", "TIDE = 8\n"}}, record) ==
          "the content of tides/__init__.py is another one");
    CHECK(refused("more-1.0-py3-none-any.whl", {{"tides/__init__.py", "TIDE = 7\n"}, {"tides/more.py", ""}},
                  record) == "tides/more.py is not on the list");
    // Another one's file at the same place.
    fs::path other = wheel(folder, "other-1.0-py3-none-any.whl", "other-1.0",
                           {{"tides/__init__.py", "TIDE = 9\n"}}, "tides/__init__.py,,9\n");
    auto twice = unpack_wheel(other, environment, "Lib/site-packages");
    REQUIRE_FALSE(twice);
    CHECK(twice.error().where == "Lib/site-packages/tides/__init__.py");
}

TEST_CASE("environments are made of the wheels that a lock names, once") {
    Folder folder;
    PackageStock stock(folder.path() / "stock");
    fs::path one = wheel(folder, "tides-1.0-py3-none-any.whl", "tides-1.0", {{"tides.py", "TIDE = 7\n"}},
                         std::string("tides.py,") + digest_of_tide + ",9\n");
    auto digest = stock.add(one);
    REQUIRE(digest);
    CHECK(stock.add(one).value() == *digest);
    std::string file = one.filename().string();
    auto made = stock.environment({locked(file, *digest)}, "Lib/site-packages");
    REQUIRE(made);
    CHECK(is_file(*made / "Lib/site-packages/tides.py"));
    CHECK(stock.environment({locked(file, *digest)}, "Lib/site-packages").value() == *made);
    CHECK(stock.environment({locked(file, *digest)}, "lib/python3.11/site-packages").value() != *made);
    auto missing =
        stock.environment({locked(file, *digest), locked("ropes-1.0-py3-none-any.whl", *digest)}, "Lib");
    REQUIRE_FALSE(missing);
    CHECK(missing.error().kind == ErrorKind::missing);
    CHECK(missing.error().why.find("ropes-1.0-py3-none-any.whl") != std::string::npos);
}

TEST_CASE("a lock is written target by target, and read with the line of what is wrong") {
    Folder folder;
    std::string file = folder / lock_name;
    CHECK(read_lock(file)->empty());
    LockedPackage one = locked("tides-1.0-py3-none-any.whl", std::string(64, 'a'));
    LockedPackage arm{"linux-aarch64",     "3.11", "ropes", "2.0", "ropes-2.0-py3-none-any.whl",
                      std::string(64, 'b')};
    REQUIRE(write_lock(file, "windows-x86_64", {one}));
    REQUIRE(write_lock(file, "linux-aarch64", {arm}));
    CHECK(read_lock(file)->size() == 2);
    CHECK(read_lock(file, "windows-x86_64").value() == std::vector{one});
    REQUIRE(write_lock(file, "windows-x86_64", {}));
    CHECK(read_lock(file).value() == std::vector{arm});

    auto error_of = [&](const std::string& text) {
        folder.write(lock_name, text);
        auto read = read_lock(file);
        REQUIRE_FALSE(read);
        return read.error().where + " " + read.error().why;
    };
    CHECK(error_of("format = 2\n").find("its format is not 1") != std::string::npos);
    CHECK(error_of("format = 1\n[[package]]\ntarget = \"windows-x86_64\"\n").find(":2 `python` is missing") !=
          std::string::npos);
    // Names are put into paths and command lines.
    std::string with_path =
        "format = 1\n\n[[package]]\ntarget = \"windows-x86_64\"\npython = \"3.11\"\nname = \"x\"\n"
        "version = \"1\"\nfile = \"../../x.whl\"\nsha256 = \"aa\"\n";
    CHECK(error_of(with_path).find("`file` is missing, or not as expected") != std::string::npos);
}
