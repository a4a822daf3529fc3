// The user's cache is used only where nobody else can write into it.
#include "folder.h"
#include "support/user_cache.h"

#include <cstdlib>
#include <optional>

using namespace omnistasis;

namespace {

/// A variable of the environment for the time of a test.
class Variable {
  public:
    Variable(const char* name, const std::string& value) : name_(name) {
        if (const char* old = std::getenv(name)) old_ = old;
        ::setenv(name, value.c_str(), 1);
    }
    ~Variable() { old_ ? ::setenv(name_, old_->c_str(), 1) : ::unsetenv(name_); }
    Variable(const Variable&) = delete;
    Variable& operator=(const Variable&) = delete;

  private:
    const char* name_;
    std::optional<std::string> old_;
};

} // namespace

TEST_CASE("the cache folder is made for the user alone, where the environment says") {
    test::Folder folder;
    Variable home("HOME", folder / "home"), cache("XDG_CACHE_HOME", folder / "c ache");
    fs::path store = user_cache_folder("store");
    CHECK(store == folder.path() / "c ache/omnistasis/store");
    CHECK(fs::status(store).permissions() == fs::perms(0700));
    CHECK(user_cache_folder("store") == store);
    // The standard passes over what is not absolute.
    Variable relative("XDG_CACHE_HOME", "c ache");
    CHECK(user_cache_folder("store") == folder.path() / "home/.cache/omnistasis/store");
    Variable homeless("HOME", "");
    CHECK(user_cache_folder("store").empty());
}

TEST_CASE("a cache folder that others can write, or that is a link or a file, is not used") {
    test::Folder folder;
    Variable cache("XDG_CACHE_HOME", folder.path().string());
    fs::create_directory(folder / "omnistasis");
    fs::permissions(folder / "omnistasis", fs::perms(0770));
    CHECK(user_cache_folder("store").empty());
    fs::permissions(folder / "omnistasis", fs::perms(0755));
    CHECK_FALSE(user_cache_folder("store").empty());
    fs::permissions(folder / "omnistasis/store", fs::perms(0702));
    CHECK(user_cache_folder("store").empty());
    fs::create_directory(folder / "elsewhere");
    fs::create_directory_symlink(folder / "elsewhere", folder / "omnistasis/linked");
    CHECK(user_cache_folder("linked").empty());
    folder.write("omnistasis/file");
    CHECK(user_cache_folder("file").empty());
}
