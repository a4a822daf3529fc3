// Packages for other systems: wheels, the lock that names them, the environments that are made of them.
#include "folder.h"
#include "runtimes/python/package_cleaning.h"
#include "runtimes/python/package_lock.h"
#include "runtimes/python/package_stock.h"
#include "runtimes/python/wheel.h"
#include "support/archive.h"

#include <algorithm>
#include <fstream>

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
    fs::path unpacked = folder.path() / "unpacked";
    fs::create_directories(unpacked);
    auto done = unpack_wheel(good, unpacked);
    INFO((done ? "" : done.error().what + done.error().why));
    REQUIRE(done);
    REQUIRE(install_unpacked(unpacked, "tides-1.0-py3-none-any.whl", environment, "Lib/site-packages"));
    CHECK(read_text(environment / "Lib/site-packages/tides/__init__.py").value() == "TIDE = 7\n");
    CHECK(is_file(environment / "share/tides/a.txt"));
    CHECK(list_folder(environment).size() == 2);
    // Its list says where the files are now, as seen from the modules.
    std::string list = read_text(environment / "Lib/site-packages/tides-1.0.dist-info/RECORD").value();
    CHECK(list.find("\n../../share/tides/a.txt,,1\n") != std::string::npos);
    CHECK(list.starts_with("tides/__init__.py,sha256="));

    auto refused = [&](const std::string& name, const std::vector<std::pair<std::string, std::string>>& files,
                       const std::string& lines) {
        fs::path bad = wheel(folder, name, "tides-1.0", files, lines);
        fs::create_directories(folder.path() / ("for " + name));
        auto result = unpack_wheel(bad, folder.path() / ("for " + name));
        REQUIRE_FALSE(result);
        return result.error().why;
    };
    // What it says of the wheel itself may be another's hand, as that of who gave it another name.
    fs::path renamed = wheel(folder, "renamed-1.0-py3-none-any.whl", "tides-1.0",
                             {{"tides-1.0.dist-info/WHEEL", "Tag: py3-none-any\n"}},
                             "tides-1.0.dist-info/WHEEL,sha256=of-another,20\n");
    fs::create_directories(folder.path() / "for renamed");
    CHECK(unpack_wheel(renamed, folder.path() / "for renamed"));
    CHECK(refused("changed-1.0-py3-none-any.whl", {{"tides/__init__.py", "TIDE = 8\n"}}, record) ==
          "the content of tides/__init__.py is another one");
    CHECK(refused("more-1.0-py3-none-any.whl", {{"tides/__init__.py", "TIDE = 7\n"}, {"tides/more.py", ""}},
                  record) == "tides/more.py is not on the list");
    // Another one's file at the same place.
    auto beside = [&](const std::string& name, const std::string& file, const std::string& content) {
        fs::path other = folder.path() / name;
        fs::create_directories((other / file).parent_path());
        std::ofstream(other / file) << content;
        return install_unpacked(other, name + ".whl", environment, "Lib/site-packages");
    };
    CHECK(beside("same", "tides/__init__.py", "TIDE = 7\n"));
    auto twice = beside("other", "tides/__init__.py", "TIDE = 9\n");
    REQUIRE_FALSE(twice);
    CHECK(twice.error().where == "Lib/site-packages/tides/__init__.py");
    CHECK(twice.error().why == "other.whl brings one, and a package before it another");
    // What nobody imports, and the modules of a namespace in the old way, may differ.
    CHECK(beside("a", "tests/__init__.py", "1"));
    CHECK(beside("b", "tests/__init__.py", "2"));
    CHECK(beside("a", "README.md", "1"));
    CHECK(beside("c", "README.md", "2"));
    CHECK(beside("a", "port/__init__.py", "__import__('pkg_resources').declare_namespace(__name__)"));
    CHECK(
        beside("d", "port/__init__.py", "__path__ = __import__('pkgutil').extend_path(__path__, __name__)"));
    CHECK_FALSE(beside("e", "port/__init__.py", "BERTHS = 4\n"));
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

TEST_CASE("packages that only environments need which were not used for a while can go") {
    Folder folder;
    fs::path place = folder.path() / "stock";
    PackageStock stock(place);
    std::vector<LockedPackage> packages;
    for (const std::string name : {"tides", "ropes", "buoys"}) {
        fs::path file = wheel(folder, name + "-1.0-py3-none-any.whl", name + "-1.0",
                              {{name + ".py", "TIDE = 7\n"}}, name + ".py," + digest_of_tide + ",9\n");
        packages.push_back(locked(file.filename().string(), stock.add(file).value()));
    }
    fs::path old = stock.environment({packages[0], packages[1]}, "Lib").value();
    fs::path used = stock.environment({packages[0]}, "Lib").value();
    auto idle = [&](bool removes) {
        auto use = look_through_packages(place, std::chrono::days(30), removes);
        REQUIRE(use);
        CHECK(use->idle_bytes <= use->bytes);
        return std::pair(use->packages, use->idle_packages);
    };
    CHECK(idle(true) == std::pair<std::size_t, std::size_t>(3, 0));
    auto long_ago = fs::file_time_type::clock::now() - std::chrono::days(40);
    for (const LockedPackage& one : packages) fs::last_write_time(place / "wheels" / one.sha256, long_ago);
    for (const fs::path& one : {old, used}) fs::last_write_time(one, long_ago);
    fs::last_write_time(place / "used" / old.filename(), long_ago);
    // "buoys" was brought long ago and is in no environment; "ropes" is in the old one alone.
    CHECK(idle(false) == std::pair<std::size_t, std::size_t>(3, 2));
    CHECK(is_folder(old));
    CHECK(idle(true) == std::pair<std::size_t, std::size_t>(3, 2));
    CHECK_FALSE(is_there(old));
    CHECK(is_file(used / "Lib/tides.py"));
    CHECK(idle(true) == std::pair<std::size_t, std::size_t>(1, 0));
    CHECK(stock.environment({packages[0]}, "Lib").value() == used);
    CHECK(stock.environment({packages[0], packages[1]}, "Lib").error().kind == ErrorKind::missing);
    // A use is noted again after a day, and not at each build.
    fs::path mark = place / "used" / used.filename();
    fs::last_write_time(mark, long_ago);
    REQUIRE(stock.environment({packages[0]}, "Lib"));
    auto noted = fs::last_write_time(mark);
    CHECK(noted > long_ago + std::chrono::days(39));
    REQUIRE(stock.environment({packages[0]}, "Lib"));
    CHECK(fs::last_write_time(mark) == noted);
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
