// Which project file holds for a folder, and who may have written it.
#include "folder.h"
#include "project/assets.h"
#include "project/project_file_place.h"
#include "support/trusted_owner.h"

#include <cstdlib>

using namespace omnistasis;
using test::Folder;

namespace {

constexpr uid_t other = 12345;

void give_away(const std::string& path) { REQUIRE(::lchown(path.c_str(), other, other) == 0); }

} // namespace

TEST_CASE("a project file is looked for above, up to the version control") {
    Folder folder;
    std::string file = folder.write("port/omnistasis.toml", "");
    fs::create_directories(folder / "port/quay/berth");
    CHECK(find_project_file(folder / "port", false).value() == file);
    CHECK(find_project_file(folder / "port/quay/berth", true).value() == file);
    CHECK(find_project_file(folder / "port/quay/berth", false).value().empty());
    folder.write("port/quay/.git", "gitdir: elsewhere"); // a work tree has a file of that name
    CHECK(find_project_file(folder / "port/quay/berth", true).value().empty());
    CHECK(find_project_file(folder / "port/quay", true).value().empty());
    std::string inner = folder.write("port/quay/omnistasis.toml", "");
    CHECK(find_project_file(folder / "port/quay/berth", true).value() == inner);
}

TEST_CASE("a project file of another user is an error, and their folders end the search") {
    if (::geteuid() != 0) {
        WARN("skipped: only root can give files away");
        return;
    }
    Folder folder;
    std::string file = folder.write("port/omnistasis.toml", "");
    fs::create_directories(folder / "port/quay");
    give_away(file);
    auto refused = find_project_file(folder / "port/quay", true);
    REQUIRE_FALSE(refused);
    CHECK(refused.error().what == "the project file is another user's");
    CHECK(refused.error().where == file);
    CHECK(refused.error().hint.find("OMNISTASIS_TRUSTED_OWNERS=12345") != std::string::npos);
    for (const char* trusted : {"12345", "7,12345", "12345,9"}) {
        ::setenv("OMNISTASIS_TRUSTED_OWNERS", trusted, 1);
        CHECK(find_project_file(folder / "port/quay", true).value() == file);
    }
    for (const char* trusted : {"1234", "123456", ""}) {
        ::setenv("OMNISTASIS_TRUSTED_OWNERS", trusted, 1);
        CHECK_FALSE(find_project_file(folder / "port/quay", true));
    }
    ::unsetenv("OMNISTASIS_TRUSTED_OWNERS");
    give_away(folder / "port");
    CHECK(find_project_file(folder / "port/quay", true).value().empty());
}

TEST_CASE("a link counts as its owner's, whatever it leads to") {
    if (::geteuid() != 0) {
        WARN("skipped: only root can give files away");
        return;
    }
    Folder folder;
    std::string file = folder.write("tides.toml", "");
    fs::create_symlink(file, folder / "link");
    CHECK(check_owner(folder / "link", "the file"));
    give_away(folder / "link");
    CHECK_FALSE(check_owner(folder / "link", "the file"));
    CHECK(check_owner(file, "the file"));
}

TEST_CASE("places in the app tree are such that every system and launcher can have") {
    CHECK(why_no_place("charts/north sea/t\xC3\xA4nd.bin").empty());
    CHECK(why_no_place(std::string(255, 'a') + "/b").empty());
    CHECK(why_no_place(std::string(256, 'a') + "/b").find("255 bytes") != std::string::npos);
    CHECK(why_no_place("a/" + std::string(256, 'b')).find("255 bytes") != std::string::npos);
    CHECK(why_no_place(std::string("a\0b", 3)).find("zero byte") != std::string::npos);
    std::string long_path;
    while (long_path.size() <= 3000) long_path += "berth/";
    CHECK(why_no_place(long_path).find("3000 bytes") != std::string::npos);
}
