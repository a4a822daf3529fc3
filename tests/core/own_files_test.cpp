#include "folder.h"
#include "project/own_files.h"

#include <cstdlib>

using namespace omnistasis;

namespace {

Project project_in(const std::string& folder) {
    Project project;
    project.folder = project.own_folder = folder;
    return project;
}

} // namespace

TEST_CASE("own files are data, templates and code, without what developers keep beside them") {
    test::Folder folder;
    for (const char* name :
         {"app.py", "pages/index.html", "tides/2026.csv", "plugins/fog.py", "notes.txt", "art/boat.svg"})
        folder.write(name, "x");
    for (const char* name :
         {".git/config", ".env", "node_modules/a/b.js", "__pycache__/app.pyc", "build/x.o", "out/linux/app",
          "tests/test_app.py", "test_more.py", "README.md", "requirements.txt", "pyproject.toml",
          "docs/guide.txt", "env2/pyvenv.cfg", "env2/lib/a.py", "harbour.egg-info/PKG-INFO"})
        folder.write(name, "x");
    OwnFiles own = find_own_files(project_in(folder.path().string()));
    CHECK(own.refused.empty());
    CHECK(own.files == std::vector<std::string>{"app.py", "art/boat.svg", "notes.txt", "pages/index.html",
                                                "plugins/fog.py", "tides/2026.csv"});
    CHECK(own.size == 6);
    CHECK(own.too_large.empty());
}

TEST_CASE("beyond the bound the small files go along, and the others are told") {
    test::Folder folder;
    folder.write("app.py", "x");
    folder.write("small.csv", "12");
    folder.write("chart.bin");
    std::filesystem::resize_file(folder / "chart.bin", most_own_bytes); // sparse
    OwnFiles own = find_own_files(project_in(folder.path().string()));
    CHECK(own.files == std::vector<std::string>{"app.py", "small.csv"});
    CHECK(own.too_large == std::vector<std::string>{"chart.bin"});
    CHECK(own.too_large_size == most_own_bytes);
}

TEST_CASE("links that lead out of the project or round in it are not followed") {
    test::Folder folder, other;
    folder.write("app.py", "x");
    other.write("secret.txt", "x");
    std::filesystem::create_directory_symlink(other.path(), folder / "away");
    std::filesystem::create_directory_symlink(folder.path(), folder / "round");
    CHECK(find_own_files(project_in(folder.path().string())).files == std::vector<std::string>{"app.py"});
}

TEST_CASE("folders that hold more than one application never go along whole") {
    for (const char* folder : {"/", "/tmp", "/home", "/home/anna", "/usr/bin", "/usr/share/x"})
        CHECK_FALSE(why_not_own(folder).empty());
    if (const char* home = std::getenv("HOME")) {
        CHECK_FALSE(why_not_own(home).empty());
        CHECK_FALSE(why_not_own(std::filesystem::path(home) / "Downloads").empty());
    }
    CHECK(why_not_own("/srv/harbour/tideboard").empty());
    CHECK_FALSE(find_own_files(project_in("/tmp")).refused.empty());
}

TEST_CASE("a project begins with the nearest folder that says so") {
    test::Folder folder;
    folder.write("harbour/pyproject.toml");
    folder.write("harbour/src/tools/app.py");
    folder.write("loose/tools/app.py");
    CHECK(own_folder_above(folder / "harbour/src/tools") == folder / "harbour");
    CHECK(own_folder_above(folder / "loose/tools") == folder / "loose/tools");
}

TEST_CASE("the lowest folder that holds both, not far above") {
    namespace fs = std::filesystem;
    CHECK(folder_of_both("/srv/board", "/srv/board/data/x") == fs::path("/srv/board"));
    CHECK(folder_of_both("/srv/board", "/srv/board/") == fs::path("/srv/board"));
    CHECK(folder_of_both("/srv/board/tools", "/srv/board/data") == fs::path("/srv/board"));
    CHECK(folder_of_both("/a/b/c/d/e/f", "/a/x") == fs::path("/a/b/c/d/e/f"));
    CHECK(folder_of_both("/usr/share/board", "/etc/board") == fs::path("/usr/share/board"));
}
