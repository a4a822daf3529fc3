// The build command: what it writes, what it refuses, and what it leaves behind.
#include "workshop.h"

#include <catch2/catch.hpp>
#include <csignal>
#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

using namespace omnistasis;
using omnistasis::test::Workshop;

extern char** environ;

namespace {

void check_refused(Workshop& workshop, const std::vector<std::string>& arguments, int exit_code,
                   const std::vector<std::string>& said) {
    ProgramOutput run = workshop.omnistasis(arguments);
    INFO(run.out << run.err);
    CHECK(run.exit_code == exit_code);
    CHECK(run.out.empty());
    CHECK(run.err.starts_with("error: "));
    for (const std::string& text : said) CHECK(run.err.find(text) != std::string::npos);
    CHECK_FALSE(fs::exists(workshop.path("out")));
}

} // namespace

TEST_CASE("wrong input gets one clear error, and nothing is written") {
    Workshop workshop("wrong");
    workshop.write("good.py", "print(1)\n");
    check_refused(workshop, {"build", "god.py"}, 3, {"the entry point is not there", "did you mean good.py"});
    check_refused(workshop, {"build", "."}, 3, {"no entry point was named", "good.py"});
    for (const char* command : {"inspect", "prove", "build", "compare"})
        check_refused(workshop, {command, ""}, 2, {"an argument is empty", command});
    workshop.write("syntax.py", "x = 1\nif x\n    y\n");
    check_refused(workshop, {"build", "syntax.py"}, 3, {"not valid Python", "syntax.py:2"});
    workshop.write("bytes.py", "x = '\xff\xfe'\n");
    check_refused(workshop, {"build", "bytes.py"}, 3, {"not valid Python", "bytes.py"});
    workshop.write("pic.png", "\x89PNG\r\n\x1a\nnot really");
    check_refused(workshop, {"build", "good.py", "--icon", "pic.png"}, 3,
                  {"the icon is not a picture", "damaged"});
    check_refused(workshop, {"build", "good.py", "--icon", "good.py"}, 3, {"the icon is not a picture"});
    check_refused(workshop, {"build", "good.py", "--asset", "charts/*.png"}, 3,
                  {"matches no file", "--asset charts/*.png"});
    check_refused(workshop, {"build", "good.py", "--runtime", "/nowhere/python"}, 4,
                  {"interpreter is not found", "/nowhere/python"});
    check_refused(workshop, {"build", "good.py", "--runtime", "/bin/true"}, 4,
                  {"does not answer as a Python interpreter"});
    check_refused(workshop, {"build", "good.py", "--form", "zip"}, 2,
                  {"there is no form `zip`", "file, folder"});
    check_refused(workshop, {"build", "good.py", "--name", "a/b"}, 3, {"can't be the application's name"});
    check_refused(workshop, {"build", "good.py", "--excldue", "x"}, 2,
                  {"--excldue", "did you mean --exclude"});
    check_refused(workshop, {"packages", "clean", "--idle", "soon"}, 2, {"--idle: Value soon not in range"});
    check_refused(workshop, {"packages", "clean", "--idel", "9"}, 2,
                  {"no option `--idel`", "did you mean --idle"});
    check_refused(workshop, {"biuld", "good.py"}, 2, {"no command `biuld`", "did you mean `build`"});
}

TEST_CASE("no interpreter at all") {
    Workshop workshop("nothing");
    workshop.write("good.py", "print(1)\n");
    auto run =
        workshop.shell(std::string("PATH=/nowhere ") + omnistasis::test::quoted_program + " build good.py");
    CHECK(run.exit_code == 4);
    CHECK(run.err.find("no Python interpreter is found") != std::string::npos);
}

TEST_CASE("the project file: errors with line, column and the near match") {
    Workshop workshop("project");
    workshop.write("good.py", "print(1)\n");
    workshop.write("omnistasis.toml", "[app]\nentry = \"good.py\"\nicno = \"x.png\"\n");
    check_refused(workshop, {"build"}, 3,
                  {"unknown key `icno`", "omnistasis.toml:3:1", "did you mean `icon`"});
    workshop.write("omnistasis.toml", "[app]\nentry = 5\n");
    check_refused(workshop, {"build"}, 3,
                  {"wrong type", "omnistasis.toml:2:9", "a string is expected, here is a number"});
    workshop.write("omnistasis.toml", "[app]\nentry = \"good.py\"\nmode = \"widow\"\n");
    check_refused(workshop, {"build"}, 3,
                  {"there is no mode `widow`", "omnistasis.toml:3", "console, window"});
    workshop.write("omnistasis.toml", "[app\nentry");
    check_refused(workshop, {"build"}, 3, {"not valid TOML", "omnistasis.toml:1"});
    workshop.write("omnistasis.toml", "[app]\nname = \"x\"\n");
    check_refused(workshop, {"build"}, 3, {"no entry point", "app.entry is missing"});
    workshop.write("omnistasis.toml", "[app]\nentry = \"good.py\"\n[output]\ntargets = [\"linux-x86_46\"]\n");
    check_refused(workshop, {"build"}, 3, {"no target `linux-x86_46`", "linux-x86_64"});
}

TEST_CASE("an import that nothing answers is a loose end, and --strict stops there") {
    Workshop workshop("loose");
    workshop.write("a.py",
                   "import os\n\nimport ansent\ntry:\n    import perhaps\nexcept ImportError:\n    pass\n");
    workshop.write("absent_too.py", "");
    auto strict = workshop.omnistasis({"build", "a.py", "--strict"});
    CHECK(strict.exit_code == 1);
    CHECK(strict.err.find("error: nothing was built, because of --strict") != std::string::npos);
    CHECK_FALSE(fs::exists(workshop.path("out")));
    auto run = workshop.omnistasis({"build", "a.py", "--compress", "fast"});
    CHECK(run.exit_code == 0);
    CHECK(run.err.find("1 loose end\n  a.py:3: ansent is not found") != std::string::npos);
    std::string trace = read_text(workshop.path("out/linux-x86_64/a.trace.json")).value();
    CHECK(trace.find("\"unresolved-import\"") != std::string::npos);
    CHECK(trace.find("{\"name\": \"perhaps\"") != std::string::npos);
    CHECK(run.err.find("perhaps") == std::string::npos);
}

TEST_CASE("a file named as a standard module, and a compiled module for another version, are loose ends") {
    Workshop workshop("names");
    workshop.write("a.py", "import queue\nimport fastpart\n");
    workshop.write("queue.py", "");
    workshop.write("fastpart.cpython-35m-x86_64-linux-gnu.so", "");
    auto run = workshop.omnistasis({"trace", "a.py", "-q"});
    CHECK(run.err.find("queue.py: this file takes the place of the standard module queue") !=
          std::string::npos);
    CHECK(run.err.find("a.py:2: fastpart is there only for another runtime") != std::string::npos);
    CHECK(run.err.find("fastpart.cpython-35m-x86_64-linux-gnu.so") != std::string::npos);
}

TEST_CASE("the interpreter is asked again when its search path has changed") {
    Workshop workshop("asked");
    workshop.write("a.py", "import late\n");
    fs::create_directories(workshop.path("venv/bin"));
    fs::create_directories(workshop.path("venv/lib/python3.11/site-packages"));
    fs::create_symlink(test::interpreter, workshop.path("venv/bin/python3"));
    workshop.write("venv/pyvenv.cfg", "home = /usr/bin\ninclude-system-site-packages = false\n");
    std::string trace = std::string("XDG_CACHE_HOME=\"$PWD/kept\" ") + omnistasis::test::quoted_program +
                        " trace a.py -q --runtime venv";
    CHECK(workshop.shell(trace).err.find("late is not found") != std::string::npos);
    CHECK(workshop.shell(trace).err.find("late is not found") != std::string::npos);
    // The interpreter's answer, and its verdict on the entry.
    CHECK(workshop.shell("ls kept/omnistasis/facts | wc -l").out == "2\n");
    workshop.write("more/late.py", "");
    workshop.write("venv/lib/python3.11/site-packages/more.pth", workshop.path("more").string() + "\n");
    CHECK(workshop.shell(trace).err.empty());
    // A damaged answer is no answer.
    workshop.shell("for f in kept/omnistasis/facts/*; do echo > $f; done");
    CHECK(workshop.shell(trace).err.empty());
}

TEST_CASE("a loader that is found late still finds what strings seen earlier name") {
    Workshop workshop("late");
    workshop.write("main.py", "import yard\nPLUGINS = ['plug.crane']\n");
    workshop.write("yard/__init__.py",
                   "import importlib\nLOADER = 'yard.late'\nimportlib.import_module(LOADER[:])\n");
    workshop.write(
        "yard/late.py",
        "import importlib\ndef load(name):\n    return importlib.import_module('%s.base' % name)\n");
    workshop.write("plug/__init__.py", "");
    workshop.write("plug/crane/__init__.py", "");
    workshop.write("plug/crane/base.py", "");
    CHECK(workshop.omnistasis({"trace", "main.py", "--json"}).out.find("\"name\": \"plug.crane.base\"") !=
          std::string::npos);
}

TEST_CASE("what Omnistasis did not make stays where it is") {
    Workshop workshop("foreign");
    workshop.write("a.py", "print(1)\n");
    workshop.write("out/linux-x86_64/a", "a letter from home");
    auto run = workshop.omnistasis({"build", "a.py"});
    CHECK(run.exit_code == 3);
    CHECK(run.err.find("out/linux-x86_64/a") != std::string::npos);
    CHECK(read_text(workshop.path("out/linux-x86_64/a")).value() == "a letter from home");
    fs::remove(workshop.path("out/linux-x86_64/a"));
    CHECK(workshop.omnistasis({"build", "a.py", "--compress", "fast"}).exit_code == 0);
    CHECK(workshop.omnistasis({"build", "a.py", "--compress", "fast", "--form", "folder"}).exit_code == 0);
    CHECK(workshop.shell("./out/linux-x86_64/a/a").out == "1\n");
    workshop.write("wall", "");
    CHECK(workshop.omnistasis({"build", "a.py", "--out", "wall"}).exit_code == 3);
}

TEST_CASE("what was said on the command line can be saved") {
    Workshop workshop("save");
    workshop.write("src/a.py",
                   "import os\nprint(open(os.path.join(os.path.dirname(__file__), 'd', 'x.txt')).read())\n");
    workshop.write("src/d/x.txt", "saved");
    workshop.write("more.txt", "more");
    CHECK(workshop
              .omnistasis({"build", "src/a.py", "--name", "b c", "--include", "colorsys", "--asset",
                           "../more.txt=d/more.txt", "--mode", "window", "--save", "--compress", "fast"})
              .exit_code == 0);
    CHECK(workshop.omnistasis({"build", "src", "--compress", "fast"}).exit_code == 0);
    CHECK(workshop.shell("'src/out/linux-x86_64/b c'").out == "saved\n");
    CHECK(workshop.omnistasis({"why", "colorsys", "src"}).out.find("needed from the start") !=
          std::string::npos);
    CHECK(workshop.shell("cat cache/omnistasis/*/app/d/more.txt").out == "more");
}

TEST_CASE("another program of a project keeps the project's name for the project") {
    Workshop workshop("another");
    workshop.write("omnistasis.toml", "[app]\nname = \"board\"\nentry = \"a.py\"\n");
    workshop.write("a.py", "print('a')\n");
    workshop.write("b.py", "print('b')\n");
    CHECK(workshop.omnistasis({"build", "b.py", "-q", "--compress", "fast"}).out == "out/linux-x86_64/b\n");
    CHECK(workshop.omnistasis({"build", "a.py", "-q", "--compress", "fast"}).out ==
          "out/linux-x86_64/board\n");
}

TEST_CASE("why gives the chain with file and line, and near matches for what is absent") {
    Workshop workshop("why");
    workshop.write("a.py", "import b\n");
    workshop.write("b.py", "\nimport colorsys\n");
    auto run = workshop.omnistasis({"why", "colorsys", "a.py"});
    CHECK(run.exit_code == 0);
    CHECK(run.out.find("  __main__\n    imports b  (a.py:1)\n    imports colorsys  (b.py:2)\n") !=
          std::string::npos);
    run = workshop.omnistasis({"why", "colorsis", "a.py"});
    CHECK(run.exit_code == 1);
    CHECK(run.err.find("did you mean colorsys") != std::string::npos);
}

TEST_CASE("modules that are excluded stay out, JSON is one object, quiet prints the path") {
    Workshop workshop("options");
    workshop.write("a.py", "import json\nimport colorsys\n");
    auto run = workshop.omnistasis({"trace", "a.py", "--exclude", "json", "--json"});
    CHECK(run.out.find("\"name\": \"colorsys\"") != std::string::npos);
    CHECK(run.out.find("\"name\": \"json\"") == std::string::npos);
    run = workshop.omnistasis({"build", "a.py", "-q", "--compress", "fast"});
    CHECK(run.out == "out/linux-x86_64/a\n");
    CHECK(run.err.empty());
    run = workshop.omnistasis({"build", "a.py", "--json", "--compress", "fast"});
    CHECK(run.out.starts_with("{\n \"format\": 1,"));
}

TEST_CASE("the same bytes in another folder and with another number of jobs") {
    Workshop workshop("same");
    std::string source = "import json, email.mime.text, sqlite3\nprint({'a', 'b', 'c'}, frozenset((1, 2)))\n";
    workshop.write("one/a.py", source);
    workshop.write("another one/a.py", source);
    CHECK(workshop.omnistasis({"build", "one/a.py", "-j", "1", "--compress", "fast"}).exit_code == 0);
    CHECK(workshop.omnistasis({"build", "another one/a.py", "-j", "4", "--compress", "fast"}).exit_code == 0);
    CHECK(workshop.shell("cmp 'one/out/linux-x86_64/a' 'another one/out/linux-x86_64/a'").exit_code == 0);
}

TEST_CASE("an interrupted build leaves nothing half-made") {
    Workshop workshop("interrupted");
    workshop.write("a.py", "import numpy\n");
    std::string out = workshop.path("out").string();
    for (int delay : {20, 120, 300, 600, 900, 1200}) {
        fs::remove_all(out);
        std::string entry = workshop.path("a.py").string();
        const char* words[] = {OMNISTASIS_PROGRAM, "build",           entry.c_str(),
                               "--runtime",        test::interpreter, nullptr};
        posix_spawn_file_actions_t quiet;
        posix_spawn_file_actions_init(&quiet);
        posix_spawn_file_actions_addopen(&quiet, 2, "/dev/null", O_WRONLY, 0);
        posix_spawn_file_actions_addopen(&quiet, 1, "/dev/null", O_WRONLY, 0);
        pid_t child = 0;
        REQUIRE(::posix_spawn(&child, OMNISTASIS_PROGRAM, &quiet, nullptr, const_cast<char**>(words),
                              environ) == 0);
        ::usleep(static_cast<useconds_t>(delay) * 1000);
        ::kill(child, SIGINT);
        int status = 0;
        ::waitpid(child, &status, 0);
        std::string left = workshop.shell("ls -A out/linux-x86_64 2>/dev/null || true").out;
        INFO("after " << delay << " ms: " << left);
        bool finished = WIFEXITED(status) && WEXITSTATUS(status) == 0;
        // On a busy machine it may not have come to where it listens for signals.
        bool was_early = WIFSIGNALED(status) && WTERMSIG(status) == SIGINT;
        CHECK((finished || was_early || WEXITSTATUS(status) == 130));
        bool whole = left == ".omnistasis-outputs\na\n" || left == ".omnistasis-outputs\na\na.trace.json\n";
        if (!finished) CHECK((left.empty() || left == ".omnistasis-outputs\n" || whole));
    }
}

TEST_CASE("a build with nothing changed makes nothing, with anything changed it makes what a new one would") {
    Workshop workshop("again");
    workshop.write("quay.py", "DEPTH = 7\n");
    workshop.write("main.py", "import quay\nprint(quay.DEPTH)\n");
    workshop.write("chart.txt", "mud\n");
    for (std::string form : {"file", "folder"}) {
        INFO(form);
        fs::path output =
            workshop.path(form == "file" ? "out/linux-x86_64/main" : "out/linux-x86_64/main/main");
        fs::remove_all(workshop.path("out"));
        workshop.write("quay.py", "DEPTH = 7\n");
        auto build = [&] {
            auto done = workshop.omnistasis(
                {"build", "main.py", "--compress", "fast", "--asset", "chart.txt", "--form", form});
            INFO(done.err);
            REQUIRE(done.exit_code == 0);
            return done.out;
        };
        auto made_at = [&] { return fs::last_write_time(output); };
        auto says = [&] { return workshop.shell("'" + output.string() + "'").out; };
        build(); // makes folders that it looks into, so that it can't know yet
        std::string summary = build();
        auto first = made_at();
        CHECK(build() == summary);
        CHECK(made_at() == first);
        // What was made is gone, or is another; what it was made from is another.
        fs::remove(output);
        build();
        CHECK(says() == "7\n");
        fs::resize_file(output, 100);
        build();
        CHECK(says() == "7\n");
        workshop.write("quay.py", "DEPTH = 9\n");
        build();
        CHECK(says() == "9\n");
        auto before = read_text(output);
        workshop.write("quay.py", "DEPTH = 7\n");
        build();
        CHECK(says() == "7\n");
        workshop.write("quay.py", "DEPTH = 9\n");
        // Without anything kept it is the same.
        auto anew = workshop.shell("XDG_CACHE_HOME=\"$PWD/another cache\" " +
                                   std::string(omnistasis::test::quoted_program) +
                                   " build main.py -q -j 1 --runtime " + omnistasis::test::interpreter +
                                   " --compress fast --asset chart.txt --form " + form);
        INFO(anew.err);
        REQUIRE(anew.exit_code == 0);
        CHECK(read_text(output).value() == before.value());
    }
}

TEST_CASE("sources that ask for the same as before are not traced again, what they ask for anew is found") {
    Workshop workshop("reading");
    workshop.write("quay.py", "DEPTH = 7\n");
    workshop.write("mole.py", "LENGTH = 300\n");
    workshop.write("main.py", "import quay\nprint(quay.DEPTH)\n");
    auto build = [&] {
        auto done = workshop.omnistasis({"build", "main.py", "--compress", "fast"});
        INFO(done.err);
        CHECK(done.exit_code == 0);
        return workshop.shell("out/linux-x86_64/main").out;
    };
    build();
    CHECK(build() == "7\n");
    workshop.write("main.py", "import quay\nprint(quay.DEPTH + 1)\n");
    CHECK(build() == "8\n");
    // As editors save: another file takes the place.
    workshop.write("quay.new", "DEPTH = 17\n");
    fs::rename(workshop.path("quay.new"), workshop.path("quay.py"));
    CHECK(build() == "18\n");
    workshop.write("main.py", "import quay, mole\nprint(quay.DEPTH, mole.LENGTH)\n");
    CHECK(build() == "17 300\n");
    // A new file that takes another's place on the search path, beside a source that asks for the same.
    workshop.write("quay/__init__.py", "DEPTH = 5\n");
    workshop.write("main.py", "import quay, mole\nprint(quay.DEPTH, mole.LENGTH + 1)\n");
    CHECK(build() == "5 301\n");
    workshop.write("main.py", "import quay, mole\nprint(quay.DEPTH,, mole.LENGTH + 1)\n");
    auto wrong = workshop.omnistasis({"build", "main.py", "--compress", "fast"});
    CHECK(wrong.exit_code == 3);
    CHECK(wrong.err.find("main.py:2") != std::string::npos);
}
