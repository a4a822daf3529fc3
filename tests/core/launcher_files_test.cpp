// What the launcher does with files and folders: nothing follows a link, nothing of others is trusted.
#include "../../launcher/files_posix.h"
#include "../../launcher/sha256.h"
#include "../../launcher/trusted_folder_posix.h"
#include "folder.h"
#include "support/hash.h"

#include <cerrno>
#include <cstdlib>
#include <fcntl.h>
#include <sys/stat.h>
#include <thread>

using namespace omnistasis;
using test::Folder;

namespace {

/// A descriptor that is closed at the end.
struct Descriptor {
    int number;
    explicit Descriptor(int descriptor) : number(descriptor) {}
    ~Descriptor() {
        if (number >= 0) ::close(number);
    }
    Descriptor(const Descriptor&) = delete;
    Descriptor& operator=(const Descriptor&) = delete;
    bool is_open() const { return number >= 0; }
};

int open_folder(const std::string& path) { return ::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC); }

/// An environment variable with another value, until the end.
class Variable {
  public:
    Variable(const char* name, const char* value) : name_(name) {
        if (const char* before = std::getenv(name)) before_ = before;
        if (value == nullptr)
            ::unsetenv(name);
        else
            ::setenv(name, value, 1);
    }
    ~Variable() {
        if (before_)
            ::setenv(name_, before_->c_str(), 1);
        else
            ::unsetenv(name_);
    }
    Variable(const Variable&) = delete;
    Variable& operator=(const Variable&) = delete;

  private:
    const char* name_;
    std::optional<std::string> before_;
};

} // namespace

TEST_CASE("a folder is private that is one's own and that nobody else may write") {
    Folder folder;
    std::string path = folder / "own";
    fs::create_directory(path);
    bool has_own_group = ::getegid() == ::geteuid();
    for (auto [mode, is_private] :
         {std::pair(0700, true), {0755, true}, {0775, has_own_group}, {0777, false}, {01777, false}}) {
        ::chmod(path.c_str(), static_cast<mode_t>(mode));
        Descriptor opened(open_folder(path));
        INFO(mode);
        CHECK(launcher::is_private(opened.number) == is_private);
    }
    if (::geteuid() != 0) return;
    ::chmod(path.c_str(), 0770);
    REQUIRE(::chown(path.c_str(), 0, 12345) == 0);
    CHECK_FALSE(launcher::is_private(Descriptor(open_folder(path)).number));
    ::chmod(path.c_str(), 0700);
    REQUIRE(::chown(path.c_str(), 12345, 12345) == 0);
    CHECK_FALSE(launcher::is_private(Descriptor(open_folder(path)).number));
}

TEST_CASE("a private folder is made, found again, and never a link or somebody's") {
    Folder folder;
    Descriptor parent(open_folder(folder.path()));
    {
        Descriptor made(launcher::open_private_folder(parent.number, "cache"));
        REQUIRE(made.is_open());
        struct stat status {};
        REQUIRE(::fstat(made.number, &status) == 0);
        CHECK((status.st_mode & 0077) == 0);
    }
    CHECK(Descriptor(launcher::open_private_folder(parent.number, "cache")).is_open());
    fs::create_directory(folder / "elsewhere");
    fs::create_directory_symlink(folder / "elsewhere", folder / "link");
    CHECK_FALSE(Descriptor(launcher::open_private_folder(parent.number, "link")).is_open());
    folder.write("file", "x");
    CHECK_FALSE(Descriptor(launcher::open_private_folder(parent.number, "file")).is_open());
    fs::create_directory(folder / "open");
    ::chmod((folder / "open").c_str(), 0777);
    CHECK_FALSE(Descriptor(launcher::open_private_folder(parent.number, "open")).is_open());
    ::mkfifo((folder / "pipe").c_str(), 0600);
    CHECK_FALSE(Descriptor(launcher::open_private_folder(parent.number, "pipe")).is_open());
}

TEST_CASE("folders are made as deep as a path is, those above a file only") {
    Folder folder;
    std::string path = folder / "a/b c/d";
    char real[4096];
    for (int again = 0; again < 2; ++again) {
        Descriptor made(launcher::open_trusted_folder(path.c_str(), true, real, sizeof real));
        CHECK(made.is_open());
        CHECK(fs::path(real) == fs::canonical(path));
    }
    CHECK(fs::is_directory(folder / "a/b c/d"));
    Descriptor parent(open_folder(folder.path()));
    CHECK(launcher::make_folders_above(parent.number, "x/y/file"));
    CHECK(fs::is_directory(folder / "x/y"));
    CHECK_FALSE(fs::exists(folder / "x/y/file"));
    CHECK(launcher::make_folders_above(parent.number, "file"));
}

TEST_CASE("each step to a trusted folder is the user's or root's, and so is each link on the way") {
    Folder folder;
    char real[4096];
    auto opens = [&](const std::string& path) {
        return Descriptor(launcher::open_trusted_folder((folder / path).c_str(), false, real, sizeof real))
            .is_open();
    };
    fs::create_directories(folder / "own/inner");
    ::chmod((folder / "own").c_str(), 0755);
    fs::create_directory_symlink("own", folder / "link");
    fs::create_directory_symlink(folder / "own/inner", folder / "far");
    fs::create_directory_symlink("loop", folder / "loop");
    folder.write("file", "x");
    CHECK(opens("own/inner"));
    CHECK(opens("own//./inner/../inner/"));
    CHECK(fs::path(real) == fs::canonical(folder / "own/inner"));
    CHECK(opens("link/inner"));
    CHECK(fs::path(real) == fs::canonical(folder / "own/inner"));
    CHECK(opens("far"));
    CHECK(fs::path(real) == fs::canonical(folder / "own/inner"));
    CHECK_FALSE(opens("loop"));
    CHECK_FALSE(opens("file"));
    CHECK_FALSE(opens("missing"));
    CHECK(errno == ENOENT);

    ::chmod((folder / "own").c_str(), 0777);
    CHECK_FALSE(opens("own/inner"));
    CHECK(errno == EPERM);
    CHECK(fs::path(real) == fs::canonical(folder / "own")); // the step is named
    CHECK_FALSE(opens("link/inner"));
    ::chmod((folder / "own").c_str(), 01777); // as the folders for temporary files
    CHECK(opens("own/inner"));
    if (::geteuid() != 0) return;
    ::chmod((folder / "own").c_str(), 0755);
    REQUIRE(::lchown((folder / "link").c_str(), 12345, 12345) == 0);
    CHECK_FALSE(opens("link/inner"));
    REQUIRE(::chown((folder / "own").c_str(), 12345, 12345) == 0);
    CHECK_FALSE(opens("own/inner"));
    CHECK_FALSE(opens("own"));
}

TEST_CASE("a lock whose file was taken away meanwhile is none") {
    Folder folder;
    Descriptor parent(open_folder(folder.path()));
    Descriptor first(launcher::open_locked(parent.number, "lock", true));
    REQUIRE(first.is_open());
    CHECK_FALSE(Descriptor(launcher::open_locked(parent.number, "lock", false)).is_open());
    CHECK(errno == EWOULDBLOCK);
    int second = -1;
    std::thread other([&] { second = launcher::open_locked(parent.number, "lock", true); });
    // The other waits for the file that is taken away here; what it gets is the lock of the one that is
    // there.
    fs::remove(folder / "lock");
    ::close(first.number);
    first.number = -1;
    other.join();
    Descriptor there(second);
    REQUIRE(there.is_open());
    struct stat ours {
    }, at_path{};
    REQUIRE(::fstat(there.number, &ours) == 0);
    REQUIRE(::stat((folder / "lock").c_str(), &at_path) == 0);
    CHECK(ours.st_ino == at_path.st_ino);
}

TEST_CASE("bytes are read and written where they belong, or not at all") {
    Folder folder;
    std::string file = folder.write("data", "0123456789");
    Descriptor opened(::open(file.c_str(), O_RDWR | O_CLOEXEC));
    char buffer[8] = {};
    CHECK(launcher::read_at(opened.number, buffer, 4, 3));
    CHECK(std::string(buffer, 4) == "3456");
    CHECK_FALSE(launcher::read_at(opened.number, buffer, 4, 8));
    CHECK_FALSE(launcher::read_at(opened.number, buffer, 1, 1'000'000));
    CHECK(launcher::read_at(opened.number, buffer, 0, 0));
    CHECK(launcher::write_at(opened.number, reinterpret_cast<const std::uint8_t*>("ab"), 2, 9));
    CHECK(read_text(file).value_or("") == "012345678ab");
    Descriptor unwritable(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
    CHECK_FALSE(launcher::write_at(unwritable.number, reinterpret_cast<const std::uint8_t*>("ab"), 2, 0));
}

TEST_CASE("what is removed is removed with all in it, and nothing behind a link") {
    Folder folder;
    folder.write("kept/file", "x");
    folder.write("tree/a/b/file", "x");
    folder.write("tree/read-only/file", "x");
    fs::create_directory_symlink(folder / "kept", folder / "tree/link");
    fs::create_symlink(folder / "kept/file", folder / "tree/a/link");
    ::chmod((folder / "tree/read-only").c_str(), 0555);
    Descriptor parent(open_folder(folder.path()));
    launcher::remove_all(parent.number, "tree");
    CHECK_FALSE(fs::exists(folder / "tree"));
    CHECK(fs::exists(folder / "kept/file"));
    folder.write("single", "x");
    launcher::remove_all(parent.number, "single");
    CHECK_FALSE(fs::exists(folder / "single"));
    launcher::remove_all(parent.number, "gone");
}

TEST_CASE("a copy is whole or not there, with links as links") {
    Folder folder;
    folder.write("from/a/file", std::string(300'000, 'x'));
    folder.write("from/empty");
    fs::create_symlink("a/file", folder / "from/link");
    ::chmod((folder / "from/empty").c_str(), 0640);
    Descriptor parent(open_folder(folder.path()));
    CHECK(launcher::copy_all(parent.number, "from", parent.number, ".new", "to"));
    CHECK(read_text(folder / "to/a/file").value_or("").size() == 300'000);
    CHECK(fs::exists(folder / "to/empty"));
    CHECK(fs::read_symlink(folder / "to/link") == "a/file");
    CHECK_FALSE(fs::exists(folder / ".new"));
    CHECK_FALSE(launcher::copy_all(parent.number, "gone", parent.number, ".new", "other"));
    CHECK_FALSE(fs::exists(folder / "other"));
    folder.write("one", "1");
    CHECK(launcher::copy_all(parent.number, "one", parent.number, ".new", "two"));
    CHECK(read_text(folder / "two").value_or("") == "1");
}

TEST_CASE("the folder for data is the one that the environment names, else below home") {
    char path[4096];
    {
        Variable data("XDG_DATA_HOME", "/data of mine"), home("HOME", "/home/pilot");
        REQUIRE(launcher::data_base(path, sizeof path));
        CHECK(std::string(path) == "/data of mine");
        CHECK_FALSE(launcher::data_base(path, 5));
    }
    {
        // One that is not absolute is to be ignored.
        Variable data("XDG_DATA_HOME", "relative"), home("HOME", "/home/pilot");
        REQUIRE(launcher::data_base(path, sizeof path));
        CHECK(std::string(path) == "/home/pilot/.local/share");
    }
    {
        Variable data("XDG_DATA_HOME", nullptr), home("HOME", "/home/pilot");
        REQUIRE(launcher::data_base(path, sizeof path));
        CHECK(std::string(path) == "/home/pilot/.local/share");
        CHECK(std::string(launcher::home_folder()) == "/home/pilot");
    }
    Variable home("HOME", nullptr);
    const char* known = launcher::home_folder();
    CHECK((known == nullptr || known[0] == '/'));
}

TEST_CASE("the launcher's own SHA-256 is everybody's, whatever the length") {
    std::string text;
    for (std::size_t size = 0; size < 300; ++size) {
        std::uint8_t digest[32];
        launcher::sha256(text.data(), text.size(), digest);
        Sha256 known = sha256(std::string_view(text));
        INFO(size);
        CHECK(std::equal(known.begin(), known.end(), digest));
        text += static_cast<char>(size * 7 + 1);
    }
    std::string large(1'000'003, 'q');
    std::uint8_t digest[32];
    launcher::sha256(large.data(), large.size(), digest);
    Sha256 known = sha256(std::string_view(large));
    CHECK(std::equal(known.begin(), known.end(), digest));
}
