// What archives do to a folder: what they hold comes out, and nothing gets out of the folder.
#include "folder.h"
#include "support/archive.h"
#include "support/subprocess.h"
#include "support/zip_packing.h"

#include <cstdlib>

using namespace omnistasis;

namespace {

constexpr std::uint64_t plenty = 1u << 20;

/// An archive that Python's library writes: `entries` adds to `out`, with `add(name, ...)` for one of any
/// kind.
fs::path made_archive(const test::Folder& folder, const std::string& entries) {
    std::string file = folder / "made.tar.gz";
    std::string script =
        folder.write("make.py", "import io, sys, tarfile\n"
                                "out = tarfile.open(sys.argv[1], 'w:gz')\n"
                                "def add(name, kind=tarfile.REGTYPE, to='', text=b'tide', mode=0o600):\n"
                                "    one = tarfile.TarInfo(name)\n"
                                "    one.type, one.linkname, one.mode = kind, to, mode\n"
                                "    one.size = len(text) if kind == tarfile.REGTYPE else 0\n"
                                "    out.addfile(one, io.BytesIO(text))\n" +
                                    entries + "\nout.close()\n");
    auto made = run_program({"python3", script, file});
    REQUIRE(made);
    INFO(made->err);
    REQUIRE(made->exit_code == 0);
    return file;
}

fs::perms modes(const fs::path& file) { return fs::status(file).permissions(); }

} // namespace

TEST_CASE("an archive's files, folders and links come out, for all to read") {
    test::Folder folder;
    fs::path archive = made_archive(folder, "add('port', tarfile.DIRTYPE, mode=0o700)\n"
                                            "add('port/start', mode=0o700)\n"
                                            "add('port/tides.txt')\n"
                                            "add('port/lib/same', tarfile.LNKTYPE, 'port/tides.txt')\n"
                                            "add('latest', tarfile.SYMTYPE, 'port/tides.txt')\n"
                                            "add('port/up', tarfile.SYMTYPE, '../port')\n"
                                            "add('pipe', tarfile.FIFOTYPE)");
    fs::path into = folder.path() / "into";
    auto done = unpack_archive(archive, into, plenty);
    INFO((done ? "" : done.error().why));
    REQUIRE(done);
    CHECK(read_text(into / "port/tides.txt").value() == "tide");
    CHECK(read_text(into / "port/lib/same").value() == "tide");
    CHECK(read_text(into / "latest").value() == "tide");
    CHECK(fs::read_symlink(into / "port/up") == "../port");
    CHECK(modes(into / "port/start") == fs::perms(0755));
    CHECK(modes(into / "port/tides.txt") == fs::perms(0644));
    CHECK_FALSE(fs::exists(into / "pipe"));
}

TEST_CASE("members of a zip file make a smaller one, the same whatever the time zone") {
    test::Folder folder;
    std::string file = folder / "tides.jar";
    std::string script = folder.write("make.py", "import sys, zipfile\n"
                                                 "with zipfile.ZipFile(sys.argv[1], 'w') as out:\n"
                                                 "    out.writestr('port/Tide.class', 'tide' * 100)\n"
                                                 "    out.writestr('port/Buoy.class', 'buoy')\n"
                                                 "    out.writestr('charts/', '')\n"
                                                 "    out.writestr('charts/north.txt', 'north')\n");
    REQUIRE(run_program({"python3", script, file})->exit_code == 0);
    std::vector<std::string> wanted{"charts/", "charts/north.txt", "port/Tide.class"};
    auto made = zip_with_members(file, wanted);
    REQUIRE(made);
    fs::path smaller = folder.write("smaller.jar", *made), into = folder.path() / "into";
    REQUIRE(unpack_archive(smaller, into, plenty));
    CHECK(read_text(into / "port/Tide.class").value().size() == 400);
    CHECK(read_text(into / "charts/north.txt").value() == "north");
    CHECK_FALSE(fs::exists(into / "port/Buoy.class"));
    // A program of the trade reads it, too.
    CHECK(
        run_program({"python3", "-c", "import sys, zipfile; zipfile.ZipFile(sys.argv[1]).testzip()", smaller})
            ->exit_code == 0);

    ::setenv("TZ", "Asia/Tokyo", 1);
    ::tzset();
    auto elsewhere = zip_with_members(file, wanted);
    ::unsetenv("TZ");
    ::tzset();
    CHECK(elsewhere.value() == *made);

    auto missing = zip_with_members(file, {"port/Quay.class"});
    REQUIRE_FALSE(missing);
    CHECK(missing.error().why.find("port/Quay.class") != std::string::npos);
    CHECK_FALSE(zip_with_members(folder.write("no.jar", "nothing of the kind"), wanted));
}

TEST_CASE("links of an archive can't lead out of its folder together, and holes count as bytes") {
    auto refused = [](const std::string& entries) {
        test::Folder folder;
        folder.write("secret.txt", "the builder's own");
        auto done = unpack_archive(made_archive(folder, entries), folder.path() / "into", plenty);
        return !done && done.error().kind == ErrorKind::bad_input;
    };
    // Each of them stays inside when it is looked at alone.
    CHECK(refused("add('d', tarfile.DIRTYPE, mode=0o755)\n"
                  "add('d/up', tarfile.SYMTYPE, '..')\n"
                  "add('LICENSE', tarfile.SYMTYPE, 'd/up/../secret.txt')"));
    CHECK(refused("add('d', tarfile.DIRTYPE, mode=0o755)\n"
                  "add('d/up', tarfile.SYMTYPE, '..')\n"
                  "add('e', tarfile.SYMTYPE, 'd/up/..')\n"
                  "add('LICENSE', tarfile.LNKTYPE, 'e/secret.txt')"));
    CHECK(refused("add('a/b/c/LICENSE', tarfile.SYMTYPE, '../../secret.txt')\n"
                  "add('LICENSE', tarfile.LNKTYPE, 'a/b/c/LICENSE')"));
    CHECK(refused("one = tarfile.TarInfo('wide')\n"
                  "one.pax_headers = {'GNU.sparse.major': '1', 'GNU.sparse.minor': '0',"
                  " 'GNU.sparse.name': 'wide', 'GNU.sparse.realsize': str(300 << 30)}\n"
                  "text = b'1\\n%d\\n4\\n' % ((300 << 30) - 4)\n"
                  "text = text.ljust(512, b'\\0') + b'tide'\n"
                  "one.size = len(text)\n"
                  "out.addfile(one, io.BytesIO(text))"));
}

TEST_CASE("nothing of an archive gets out of its folder") {
    test::Folder folder;
    auto entries = GENERATE(
        as<std::string>(), "add('../escaped')", "add('/escaped')", "add('port/../../escaped')",
        "add('link', tarfile.SYMTYPE, '..')\nadd('link/escaped')",
        "add('link', tarfile.SYMTYPE, '/etc/passwd')", "add('deep/link', tarfile.SYMTYPE, '../../outside')",
        "add('link', tarfile.LNKTYPE, '../outside')");
    CAPTURE(entries);
    folder.write("outside", "the user's own");
    fs::path into = folder.path() / "into";
    auto done = unpack_archive(made_archive(folder, entries), into, plenty);
    REQUIRE_FALSE(done);
    CHECK(done.error().what == "the archive would write outside of its folder");
    CHECK_FALSE(fs::exists(folder.path() / "escaped"));
    CHECK(read_text(folder / "outside").value() == "the user's own");
}

TEST_CASE("a link that is there before the archive's file is not written through") {
    test::Folder folder;
    folder.write("outside/kept", "the user's own");
    fs::create_directories(folder.path() / "into");
    fs::create_directory_symlink(folder.path() / "outside", folder.path() / "into/port");
    (void)unpack_archive(made_archive(folder, "add('port/kept')"), folder.path() / "into", plenty);
    CHECK(read_text(folder / "outside/kept").value() == "the user's own");
}

TEST_CASE("archives that are cut off, too large, or none are refused") {
    test::Folder folder;
    fs::path archive = made_archive(folder, "import random\n"
                                            "add('noise', text=random.Random(4).randbytes(300000))");
    auto too_large = unpack_archive(archive, folder.path() / "a", 200'000);
    REQUIRE_FALSE(too_large);
    CHECK(too_large.error().what == "the archive is too large");
    std::string content = read_text(archive).value();
    auto cut = unpack_archive(folder.write("cut.tar.gz", content.substr(0, content.size() / 2)),
                              folder.path() / "b", plenty);
    REQUIRE_FALSE(cut);
    CHECK(cut.error().what == "the archive can't be unpacked");
    CHECK_FALSE(unpack_archive(folder.write("text.zip", "no archive at all"), folder.path() / "c", plenty));
    CHECK_FALSE(unpack_archive(folder.path() / "nowhere.zip", folder.path() / "d", plenty));
}

TEST_CASE("a zip file has modes and links, and the same bytes for the same content") {
    test::Folder folder;
    folder.write("Board.app/Contents/start", "#!/bin/sh\n");
    fs::permissions(folder / "Board.app/Contents/start", fs::perms(0700));
    folder.write("Board.app/Contents/tides \xC3\xA4.txt", std::string(5000, 't'));
    fs::create_symlink("start", folder / "Board.app/Contents/begin");
    fs::create_directories(folder / "Board.app/Contents/empty");
    Store store(folder / "store.sqlite");
    REQUIRE(pack_zip(folder.path(), "Board.app", folder / "one.zip", store));
    fs::last_write_time(folder / "Board.app/Contents/start",
                        fs::file_time_type::clock::now() - std::chrono::hours(50));
    // What was kept is put in as it would be made.
    REQUIRE(pack_zip(folder.path(), "Board.app", folder / "two.zip", store));
    std::string packed = read_text(folder / "one.zip").value();
    CHECK(packed == read_text(folder / "two.zip").value());
    CHECK(packed.size() < 2000);
    Store other(folder / "other.sqlite");
    REQUIRE(pack_zip(folder.path(), "Board.app", folder / "three.zip", other));
    CHECK(packed == read_text(folder / "three.zip").value());

    fs::path into = folder.path() / "into/Board.app/Contents";
    REQUIRE(unpack_archive(folder / "one.zip", folder.path() / "into", plenty));
    CHECK(modes(into / "start") == fs::perms(0755));
    CHECK(modes(into / "tides \xC3\xA4.txt") == fs::perms(0644));
    CHECK(fs::read_symlink(into / "begin") == "start");
    CHECK(fs::is_directory(into / "empty"));
    CHECK_FALSE(pack_zip(folder.path(), "Board.app", folder / "nowhere/one.zip", store));
}
