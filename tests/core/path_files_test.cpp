// Lists that people and packages keep in files: folders of the search path, requirements.
#include "folder.h"
#include "runtimes/python/path_files.h"
#include "runtimes/python/places.h"
#include "runtimes/python/requirements_file.h"

using namespace omnistasis;
using namespace omnistasis::python;
using test::Folder;
using Names = std::vector<std::string>;

TEST_CASE("path files add the folders that are there, in the order of the site module") {
    Folder folder;
    for (const char* name : {"site/quay/lib/a.py", "site/crane/b.py", "elsewhere/c.py", "site/.hidden/x.py"})
        folder.write(name);
    std::string site = folder / "site";
    folder.write("site/b.pth",
                 "# a comment\n\nquay\\lib\r\nimport quay_start\nimport\tos; os.getcwd()\n  \n");
    folder.write("site/a.pth", "\xef\xbb\xbf"
                               "crane  \n./quay/lib/\nnowhere\n" +
                                   folder.path().string() + "/elsewhere");
    folder.write("site/.c.pth", ".hidden\n");
    folder.write("site/notes.txt", "crane\n");
    CHECK(folders_of_path_files(site) == Names{site + "/crane", site + "/quay/lib", folder / "elsewhere"});
    CHECK(folders_of_path_files(folder / "none").empty());
    folder.write("itself/d.pth", ".\n");
    CHECK(folders_of_path_files(folder / "itself").empty());
}

TEST_CASE("folders of path files lie in the tree as they lie among the packages") {
    Folder folder;
    Facts facts;
    facts.standard_library = folder / "py/Lib";
    facts.extensions = folder / "py/DLLs";
    facts.prefix = folder / "env";
    facts.library_place = "Lib";
    facts.extensions_place = "DLLs";
    std::string packages = folder / "env/Lib/site-packages";
    facts.search_path = {facts.standard_library, facts.extensions,        packages,
                         packages + "/win32",    packages + "/win32/lib", "/opt/harbour"};
    Project project;
    project.folder = project.root_folder = folder / "app";
    Places places(project, facts);
    CHECK(places.of(packages + "/win32/api.pyd", packages + "/win32") == "Lib/site-packages/win32/api.pyd");
    CHECK(places.of(packages + "/win32/lib/con.py", packages + "/win32/lib") ==
          "Lib/site-packages/win32/lib/con.py");
    CHECK(places.of("/opt/harbour/tide.py", "/opt/harbour") == "Lib/site-packages/tide.py");
    CHECK(places.of(folder / "py/DLLs/_socket.pyd", facts.extensions) == "DLLs/_socket.pyd");
    CHECK(places.inner_roots() == Names{"Lib/site-packages/win32", "Lib/site-packages/win32/lib"});
    // Some runtimes keep compiled modules beside the others.
    facts.extensions = facts.standard_library;
    CHECK(Places(project, facts).of(folder / "py/Lib/_socket.pyd", facts.extensions) == "Lib/_socket.pyd");
}

TEST_CASE("lists of requirements are read as their installer reads them") {
    Folder folder;
    folder.write("requirements.txt", "# the harbour's own\n"
                                     "tides>=1.4  # a comment\n"
                                     "pywin32; sys_platform == \"win32\"\n"
                                     "\n"
                                     "--index-url https://halcyon.example/simple\n"
                                     "-r more/other.txt\n"
                                     "--requirement=more/other.txt\n"
                                     "quay==2.0 \\\n    --hash=sha256:00 \\\r\n    --hash=sha256:11\n"
                                     "berth @ https://halcyon.example/berth#egg=berth\n");
    folder.write("more/other.txt", "crane\n-r ../requirements.txt\n-r gone.txt\n");
    CHECK(listed_requirements(folder / "requirements.txt") ==
          Names{"tides>=1.4", "pywin32; sys_platform == \"win32\"", "crane", "quay==2.0",
                "berth @ https://halcyon.example/berth#egg=berth"});
    CHECK(listed_requirements(folder / "none.txt").empty());
    folder.write("empty.txt", "");
    CHECK(listed_requirements(folder / "empty.txt").empty());
    folder.write("open.txt", "tides \\");
    CHECK(listed_requirements(folder / "open.txt") == Names{"tides"});
}
