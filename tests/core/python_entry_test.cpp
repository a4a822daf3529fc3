#include "folder.h"
#include "runtimes/python/entry.h"
#include "runtimes/python/facts.h"

#include <sys/stat.h>

using namespace omnistasis;
using namespace omnistasis::python;

namespace {

Project project_in(const test::Folder& folder, const std::string& entry) {
    Project project;
    project.folder = folder.path();
    project.entry = entry;
    return project;
}

} // namespace

TEST_CASE("a script, with and without an ending") {
    test::Folder folder;
    folder.write("tide board.py", "print(1)\n");
    folder.write("quay3.11", "#!/usr/bin/env python3\nprint(1)\n");
    folder.write("notes.txt", "text\n");
    Project project = project_in(folder, "tide board.py");
    REQUIRE(settle_entry(project) == true);
    CHECK(project.name == "tide board");
    Entry entry = read_entry(project);
    CHECK(entry.kind == Entry::Kind::script);
    CHECK(entry.folder == folder.path());
    project = project_in(folder, "quay3.11");
    REQUIRE(settle_entry(project) == true);
    CHECK(project.name == "quay3.11");
    project = project_in(folder, "notes.txt");
    CHECK(settle_entry(project) == false);
    project = project_in(folder, "gone.py");
    CHECK(settle_entry(project) == false);
}

TEST_CASE("a start script in an environment whose path has a space is Python") {
    test::Folder folder;
    folder.write("tide", "#!/bin/sh\n'''exec' \"/my env/bin/python3\" \"$0\" \"$@\"\n' '''\nimport sys\n");
    folder.write("quay", "#!/bin/sh\nexec python3 quay.py\n");
    folder.write("bell", "#!/bin/sh\n'''exec' \"/usr/bin/perl\" \"$0\"\n");
    folder.write("fog", "#!/bin/sh");
    Project project = project_in(folder, "tide");
    CHECK(settle_entry(project) == true);
    // The interpreter is the one that the script names, with its space.
    std::string python = folder.write("my env/bin/python3", "#!/bin/sh\n");
    REQUIRE(::chmod(python.c_str(), 0755) == 0);
    std::string second = "'''exec' \"" + python + "\" \"$0\" \"$@\"\n' '''\n";
    CHECK(interpreter_of_script(folder.write("started", "#!/bin/sh\n" + second)) == python);
    CHECK(interpreter_of_script(folder.write("gone", "#!/bin/sh\n'''exec' \"/no where/python3\" \"$0\"\n"))
              .empty());
    CHECK(interpreter_of_script(folder / "quay").empty());
    for (const char* other : {"quay", "bell", "fog"}) {
        project = project_in(folder, other);
        INFO(other);
        CHECK(settle_entry(project) == false);
    }
}

TEST_CASE("a package in all its forms is one entry") {
    test::Folder folder;
    for (const char* file : {"src/halyard/__init__.py", "src/halyard/__main__.py", "src/halyard/knots.py",
                             "src/halyard/inner/__init__.py", "src/halyard/inner/__main__.py"})
        folder.write(file, "pass\n");
    for (const char* said : {"halyard", "halyard.__main__", "src/halyard/__main__.py", "src/halyard"}) {
        INFO(said);
        Project project = project_in(folder, said);
        REQUIRE(settle_entry(project) == true);
        CHECK(project.name == "halyard");
        Entry entry = read_entry(project);
        CHECK(entry.kind == Entry::Kind::module);
        CHECK(entry.module == "halyard.__main__");
        CHECK(entry.folder == folder / "src");
        CHECK(entry.file == folder / "src/halyard/__main__.py");
    }
    Project project = project_in(folder, "halyard.inner");
    REQUIRE(settle_entry(project) == true);
    CHECK(read_entry(project).module == "halyard.inner.__main__");
    project = project_in(folder, "halyard.knots:Rope.coil");
    REQUIRE(settle_entry(project) == true);
    Entry entry = read_entry(project);
    CHECK(project.name == "halyard");
    CHECK(entry.kind == Entry::Kind::function);
    CHECK(entry.module == "halyard.knots");
    CHECK(entry.function == "Rope.coil");
}

TEST_CASE("what is no name of a module is no entry") {
    test::Folder folder;
    for (const char* said : {"a..b", ".a", "a.", "a:b:c", "a b", "1a", "a-b", "a:", ":a", "a.py"}) {
        INFO(said);
        Project project = project_in(folder, said);
        CHECK(settle_entry(project) == false);
    }
}

TEST_CASE("a module that is installed somewhere is found later") {
    test::Folder folder;
    Project project = project_in(folder, "yamllint");
    REQUIRE(settle_entry(project) == true);
    Entry entry = read_entry(project);
    CHECK(entry.kind == Entry::Kind::module);
    CHECK(entry.file.empty());
    CHECK(entry.folder == folder.path());
}

TEST_CASE("a pyproject.toml says what nobody else did") {
    test::Folder folder;
    folder.write("pyproject.toml",
                 "[project]\nname = \"harbour-tools\"\nversion = \"3.1\"\ndescription = \"Tools\"\n"
                 "[project.gui-scripts]\nquay = \"harbour_tools.app:main [extra]\"\n");
    Project project = project_in(folder, "");
    REQUIRE(settle_entry(project) == true);
    CHECK(project.entry == "harbour_tools.app:main");
    CHECK(project.name == "quay");
    CHECK(project.version == "3.1");
    CHECK(project.summary == "Tools");
    CHECK(project.mode == Mode::window);
    project = project_in(folder, "");
    project.version = "4";
    project.name = "own";
    REQUIRE(settle_entry(project) == true);
    CHECK(project.version == "4");
    CHECK(project.name == "own");
    folder.write("pyproject.toml", "[project]\nname = \"harbour-tools\"\n");
    folder.write("src/harbour_tools/__main__.py");
    project = project_in(folder, "");
    REQUIRE(settle_entry(project) == true);
    CHECK(project.entry == "harbour_tools");
    folder.write("pyproject.toml", "[project\n");
    project = project_in(folder, "");
    auto wrong = settle_entry(project);
    REQUIRE_FALSE(wrong);
    CHECK(wrong.error().where.find("pyproject.toml:1") != std::string::npos);
    folder.write("pyproject.toml", "[tool.other]\nx = 1\n");
    project = project_in(folder, "");
    CHECK(settle_entry(project) == false);
}
