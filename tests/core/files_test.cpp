// Files and folders as everything uses them: whole or not there, told where they can't be.
#include "folder.h"

#include <algorithm>
#include <sys/stat.h>
#include <unistd.h>

using namespace omnistasis;
using test::Folder;

TEST_CASE("parts of paths are taken apart as text") {
    CHECK(base_name("/p/harbour/tide.py") == "tide.py");
    CHECK(base_name("tide.py") == "tide.py");
    CHECK(base_name("/p/harbour/") == "");
    CHECK(base_name("") == "");
    CHECK(parent_folder_of("/p/harbour/tide.py") == "/p/harbour");
    CHECK(parent_folder_of("/p") == "");
    CHECK(parent_folder_of("tide.py") == "");
    CHECK(relative_to("/p/harbour/tide.py", "/p") == "harbour/tide.py");
    CHECK(relative_to("/p/harbour/tide.py", "/p/harb") == "");
    CHECK(relative_to("/p", "/p") == "");
    CHECK(relative_to("/q/a", "/p") == "");
}

TEST_CASE("names of shared libraries end as such do") {
    for (const char* name :
         {"libtide.so", "libtide.so.1", "libtide.so.1.2.3", "_bell.cpython-311.so", "x.so"})
        CHECK(is_library_name(name));
    for (const char* name : {"libtide", "so", "libtide.sos", "libtide.a", ""}) {
        INFO(name);
        CHECK_FALSE(is_library_name(name));
    }
}

TEST_CASE("a file is read whole, an empty one too, a folder never") {
    Folder folder;
    std::string large(3u << 20, 't');
    CHECK(read_text(folder.write("large", large)).value_or("") == large);
    auto empty = MappedFile::open(folder.write("empty"));
    REQUIRE(empty);
    CHECK(empty->text().empty());
    auto mapped = MappedFile::open(folder / "large");
    REQUIRE(mapped);
    CHECK(mapped->bytes().size() == large.size());
    for (const std::string& wrong : {folder.path().string(), folder / "gone", folder / "empty/inner"}) {
        INFO(wrong);
        auto read = read_text(wrong);
        REQUIRE_FALSE(read);
        CHECK(read.error().kind == ErrorKind::unreadable);
        CHECK(read.error().where == wrong);
        CHECK_FALSE(read.error().why.empty());
    }
}

TEST_CASE("only files that begin as wanted are mapped") {
    Folder folder;
    auto begins = [](ByteSpan head) { return as_text(head).starts_with("TIDE"); };
    FileIdentity identity;
    auto wanted = MappedFile::open_if(folder.write("a", "TIDE table"), begins, identity);
    REQUIRE(wanted);
    CHECK(wanted->text() == "TIDE table");
    CHECK(identity.is_there);
    CHECK(identity.size == 10);
    CHECK_FALSE(MappedFile::open_if(folder.write("b", "ebb"), begins, identity));
    CHECK(identity.is_there);
    CHECK_FALSE(MappedFile::open_if(folder / "gone", begins, identity));
    CHECK_FALSE(identity.is_there);
}

TEST_CASE("a file is written whole, over another and with its mode, and leaves nothing beside it") {
    Folder folder;
    folder.write("log", "old");
    REQUIRE(write_atomically(folder / "log", "new", 0600));
    CHECK(read_text(folder / "log").value_or("") == "new");
    struct stat status {};
    REQUIRE(::stat((folder / "log").c_str(), &status) == 0);
    CHECK((status.st_mode & 0777) == 0600);
    CHECK(list_folder(folder.path()).size() == 1);
    auto nowhere = write_atomically(folder / "gone/log", "x");
    REQUIRE_FALSE(nowhere);
    CHECK(nowhere.error().kind == ErrorKind::unwritable);
    CHECK(nowhere.error().where == folder / "gone/log");
    // What is a folder already is not replaced.
    fs::create_directory(folder / "taken");
    CHECK_FALSE(write_atomically(folder / "taken", "x"));
    CHECK(list_folder(folder.path()).size() == 2);
    CHECK_FALSE(write_new(folder / "log", as_bytes("x"), 0644));
    CHECK(read_text(folder / "log").value_or("") == "new");
}

TEST_CASE("a folder's entries are sorted, links are what they lead to") {
    Folder folder;
    for (const char* name : {"c", "a", "b/inner"}) folder.write(name);
    fs::create_directory_symlink("b", folder / "link");
    fs::create_symlink("nowhere", folder / "dangling");
    auto entries = list_folder(folder.path());
    std::vector<std::string> names;
    for (const FolderEntry& entry : entries) names.push_back(entry.name);
    CHECK(std::ranges::is_sorted(names));
    auto link = std::ranges::find(entries, "link", &FolderEntry::name);
    REQUIRE(link != entries.end());
    CHECK(link->is_folder);
    CHECK(link->is_link);
    CHECK(list_folder(folder / "gone").empty());
    CHECK(list_folder(folder / "a").empty());
    CHECK(is_there(folder / "link/inner"));
    CHECK_FALSE(is_there(folder / "dangling"));
    CHECK(real_path(folder / "link/inner") == real_path(folder / "b/inner"));
    CHECK(real_path(folder / "gone/x") == folder / "gone/x");
}

TEST_CASE("a walk does not follow links to folders, and so comes to an end") {
    Folder folder;
    folder.write("a/b/c");
    fs::create_directory_symlink("..", folder / "a/up");
    std::size_t seen = 0;
    each_entry_below(folder.path(), [&](const fs::directory_entry&) { ++seen; });
    CHECK(seen == 4);
    each_entry_below(folder / "gone", [&](const fs::directory_entry&) { ++seen; });
    CHECK(seen == 4);
}

TEST_CASE("a staging folder is gone with its object") {
    Folder folder;
    fs::path path;
    {
        auto staging = StagingFolder::make(folder.path(), "tideboard");
        REQUIRE(staging);
        path = staging->path();
        CHECK(path.filename().string().starts_with(".tideboard."));
        REQUIRE(write_atomically(path / "file", "x"));
        StagingFolder moved = std::move(*staging);
        CHECK(fs::exists(path));
    }
    CHECK_FALSE(fs::exists(path));
    auto nowhere = StagingFolder::make(folder / "gone", "tideboard");
    REQUIRE_FALSE(nowhere);
    CHECK(nowhere.error().kind == ErrorKind::unwritable);
}

TEST_CASE("a staging folder whose process is gone goes with the next one, one in use stays") {
    Folder folder;
    auto held = StagingFolder::make(folder.path(), "tideboard");
    REQUIRE(held);
    // As a killed build leaves it: nobody holds its lock.
    folder.write(".tideboard.staging-00ff/half", "x");
    folder.write(".tideboard.others/kept", "x");
    folder.write("tideboard.staging-00ff/kept", "x");
    auto next = StagingFolder::make(folder.path(), "noticeboard");
    REQUIRE(next);
    CHECK(fs::exists(held->path()));
    CHECK_FALSE(fs::exists(folder / ".tideboard.staging-00ff"));
    CHECK(fs::exists(folder / ".tideboard.others/kept"));
    CHECK(fs::exists(folder / "tideboard.staging-00ff/kept"));
}
