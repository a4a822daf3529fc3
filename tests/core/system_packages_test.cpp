#include "runtimes/python/python_runtime.h"
#include "support/system_packages.h"

#include <algorithm>
#include <catch2/catch.hpp>

using namespace omnistasis;

TEST_CASE("what Debian's package manager says of a file") {
    if (!is_file("/var/lib/dpkg/status")) {
        WARN("skipped: this system has another package manager");
        return;
    }
    auto files = files_packaged_with("/usr/bin/env");
    CHECK(std::ranges::binary_search(files, std::string("/usr/bin/env")));
    CHECK(files.size() > 20);
    CHECK(std::ranges::is_sorted(files));
    CHECK(files_packaged_with("/usr/bin/no-such-command").empty());
    auto related = entries_related_to("/usr/share/doc/", {"/copyright"});
    const auto& of_bash = related["/usr/share/doc/bash/copyright"].required;
    CHECK(std::ranges::find(of_bash, "/usr/share/doc/base-files/copyright") != of_bash.end());
    CHECK(std::ranges::find(of_bash, "/usr/share/doc/bash/copyright") == of_bash.end());
}

TEST_CASE("programs of the packages that a command's package requires") {
    if (!is_file("/var/lib/dpkg/status")) {
        WARN("skipped: this system has another package manager");
        return;
    }
    auto programs = programs_required_by("/usr/bin/dpkg");
    REQUIRE(programs.contains("tar"));
    CHECK(programs["tar"].package_size > 100'000);
    CHECK(programs["tar"].package_size < 10u << 20);
    CHECK(programs["tar"].file == real_path("/bin/tar"));
    CHECK_FALSE(programs.contains("dpkg"));
    CHECK(programs_required_by("/usr/bin/no-such-command").empty());
    auto sources = package_sources_of({"/usr/bin/dpkg", "/bin/tar", "/usr/bin/no-such-command"});
    CHECK(sources == std::map<std::string, std::string>{{"/bin/tar", "tar"}, {"/usr/bin/dpkg", "dpkg"}});
}

TEST_CASE("folders of an installed program that belong on its search path") {
    using Folders = std::set<std::string>;
    CHECK(python::folders_of_packages(
              {"/usr/lib/python3/dist-packages/quay/__init__.py", "/usr/share/harbour/board/__init__.py",
               "/usr/share/harbour/board/deep/__init__.py", "/usr/share/harbour/board/deep/part.py",
               "/usr/share/harbour/flags.png"}) == Folders{"/usr/share/harbour"});
    CHECK(python::folders_of_packages({"/usr/share/games/tide/code/game.py", "/usr/share/rope/__init__.py",
                                       "/usr/share/rope/knot.py"}) ==
          Folders{"/usr/share", "/usr/share/games/tide/code", "/usr/share/rope"});
}
