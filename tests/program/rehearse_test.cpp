// Rehearsals: watched runs from source, and what they add to a project.
#include "watch/call_log.h"
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

/// A program with a plugin and a data file that nothing in its text names.
void write_harbour(Workshop& workshop, const std::string& more = "") {
    // What is own goes along whole otherwise, and there would be nothing to learn.
    workshop.write("omnistasis.toml", "[app]\nentry = \"main.py\"\n[trace]\nwithout = [\"own-files\"]\n");
    workshop.write("harbour/__init__.py", "");
    workshop.write("harbour/plugins/__init__.py", "");
    workshop.write("harbour/plugins/wind.py", "import fractions\nWORD = 'windy'\n");
    workshop.write("harbour/plugins/wave.py", "WORD = 'wavy'\n");
    workshop.write("data/d\xC3\xA9pths of 'it'.txt", "seven\n");
    workshop.write(
        "main.py",
        "import importlib, os, sys\n"
        "package = '.snigulp.ruobrah'[::-1]\n"
        "print(importlib.import_module(package + sys.argv[1]).WORD)\n"
        "here = os.path.dirname(__file__)\n"
        "print(open(os.path.join(here, 'atad'[::-1], 'd\\u00e9p' + \"ths of 'it'.txt\")).read())\n" +
            more);
}

std::string built_and_run(Workshop& workshop, const std::string& argument) {
    auto built = workshop.omnistasis({"build", "main.py", "--compress", "fast", "-q"});
    REQUIRE(built.exit_code == 0);
    workshop.shell("rm -r harbour data");
    auto run = workshop.shell("./out/linux-x86_64/main " + argument);
    return run.exit_code == 0 ? run.out : "failed: " + run.err;
}

} // namespace

TEST_CASE("a rehearsal adds what the trace lacked, and several add up") {
    Workshop workshop("rehearse");
    write_harbour(workshop, "sys.exit(4)\n");
    auto first = workshop.omnistasis({"rehearse", "main.py", "--", "wind"});
    INFO(first.out << first.err);
    CHECK(first.exit_code == 0);
    CHECK(first.out.starts_with("windy\nseven\n"));
    CHECK(first.out.find("main was rehearsed: exit code 4") != std::string::npos);
    CHECK(first.out.find("harbour.plugins.wind") != std::string::npos);
    CHECK(first.out.find("main.py:3") != std::string::npos);
    CHECK(first.out.find("its name is computed there") != std::string::npos);
    std::string facts = *read_text(workshop.path("main.rehearsed.toml"));
    CHECK(facts.find("[[module]]\nname = \"harbour.plugins.wind\"\nfrom = \"main.py:3\"\n") !=
          std::string::npos);
    CHECK(facts.find("path = \"data/d\xC3\xA9pths of 'it'.txt\"") != std::string::npos);
    CHECK(facts.find("fractions") == std::string::npos); // once the plugin is known, its imports follow

    auto second = workshop.omnistasis({"rehearse", "main.py", "--", "wave"});
    CHECK(second.out.find("harbour.plugins.wave") != std::string::npos);
    CHECK(second.out.find("harbour.plugins.wind ") == std::string::npos);
    auto third = workshop.omnistasis({"rehearse", "main.py", "--", "wave"});
    CHECK(third.out.find("the trace had all of it") != std::string::npos);

    auto traced = workshop.omnistasis({"trace", "main.py", "-v"});
    CHECK(traced.err.find("rehearsals saw 2 there") ==
          std::string::npos); // the package itself was seen there too
    CHECK(traced.err.find("rehearsals saw 4 there") != std::string::npos);
    REQUIRE(workshop.omnistasis({"build", "main.py", "--compress", "fast", "--strict"}).exit_code == 0);
    workshop.shell("rm -r harbour data");
    CHECK(workshop.shell("./out/linux-x86_64/main wind").out == "windy\nseven\n\n");
    CHECK(workshop.shell("./out/linux-x86_64/main wave").out == "wavy\nseven\n\n");
}

TEST_CASE("without a rehearsal the same program fails") {
    Workshop workshop("unrehearsed");
    write_harbour(workshop);
    CHECK(built_and_run(workshop, "wind").find("No module named") != std::string::npos);
}

TEST_CASE("a rehearsal that crashes keeps what was seen") {
    Workshop workshop("crash");
    write_harbour(workshop, "import os, signal\nos.kill(os.getpid(), signal.SIGKILL)\n");
    auto run = workshop.omnistasis({"rehearse", "main.py", "--", "wind"});
    CHECK(run.exit_code == 0);
    CHECK(run.out.find("ended by signal 9") != std::string::npos);
    CHECK(read_text(workshop.path("main.rehearsed.toml"))->find("harbour.plugins.wind") != std::string::npos);
    workshop.write("main.py", "import harbour\nraise SystemExit(undefined)\n");
    CHECK(workshop.omnistasis({"rehearse", "main.py"}).out.find("exit code 1") != std::string::npos);
}

TEST_CASE("a rehearsal that is interrupted keeps what was seen") {
    Workshop workshop("interrupt");
    // The program asks for its own interruption: of the one that watches it.
    write_harbour(workshop,
                  "import signal, time\n"
                  "parent = os.getppid()\n"
                  "for _ in range(3):\n"
                  "    if open(f'/proc/{parent}/comm').read().strip() == 'omnistasis': break\n"
                  "    parent = int(open(f'/proc/{parent}/stat').read().rsplit(')')[1].split()[1])\n"
                  "os.kill(parent, signal.SIGTERM)\n"
                  "signal.alarm(20)\n"
                  "signal.sigwait([])\n");
    auto run = workshop.omnistasis({"rehearse", "main.py", "--", "wind"});
    INFO(run.out << run.err);
    CHECK(run.exit_code == 0);
    CHECK(run.out.find("ended by signal 15") != std::string::npos);
    CHECK(read_text(workshop.path("main.rehearsed.toml"))->find("harbour.plugins.wind") != std::string::npos);
}

TEST_CASE("children of a rehearsed program are watched, and what it starts and writes is told") {
    Workshop workshop("children");
    workshop.write("omnistasis.toml", "[app]\nentry = \"main.py\"\n[trace]\nwithout = [\"own-files\"]\n");
    workshop.write("later.py", "WORD = 'later'\n");
    workshop.write(
        "main.py",
        "import os, subprocess, sys\n"
        "subprocess.run([sys.executable, '-c', 'imp' + 'ort later'], cwd=os.path.dirname(__file__))\n"
        "subprocess.run(['/usr/bin/env', 'true'])\n"
        "open(os.path.join(os.path.dirname(__file__), 'log' + '.db'), 'w').write('x')\n");
    auto run = workshop.omnistasis({"rehearse", "main.py"});
    INFO(run.out);
    CHECK(run.out.find("module    later") != std::string::npos);
    CHECK(run.out.find("program   /usr/bin/env") != std::string::npos);
    CHECK(run.out.find("written   log.db") != std::string::npos);
    auto traced = workshop.omnistasis({"trace", "main.py"});
    CHECK(traced.err.find("log.db is written, in the application's own folder") != std::string::npos);
    CHECK(traced.err.find("loose ends of less weight") != std::string::npos);
}

TEST_CASE("packages and functions are rehearsed as they run") {
    Workshop workshop("rehearse-package");
    workshop.write("src/quay/__init__.py", "");
    workshop.write("src/quay/__main__.py", "import sys\nprint(__name__, __package__, sys.argv[1:])\n");
    workshop.write("src/quay/berth.py", "import sys\ndef moor():\n    print(sys.argv[1:])\n    return 6\n");
    CHECK(workshop.omnistasis({"rehearse", "quay", "--", "a", "--", "b"})
              .out.starts_with("__main__ quay ['a', '--', 'b']\n"));
    auto run = workshop.omnistasis({"rehearse", "quay.berth:moor", "--", "c d"});
    CHECK(run.out.starts_with("['c d']\nquay was rehearsed: exit code 6"));
}

TEST_CASE("a damaged file of facts is an error with its line") {
    Workshop workshop("facts");
    workshop.write("main.py", "print(1)\n");
    for (auto [text, why] : {std::pair("format = 2\n", "format = 1 is expected"),
                             {"format = 1\n[[modul]]\n", "unknown key modul"},
                             {"format = 1\n[[module]]\npath = \"x\"\n", "a table with `name` is expected"},
                             {"format = 1\n[[", "main.rehearsed.toml:2:"}}) {
        workshop.write("main.rehearsed.toml", text);
        auto traced = workshop.omnistasis({"trace", "main.py"});
        CHECK(traced.exit_code == 3);
        INFO(traced.err);
        CHECK(traced.err.find(why) != std::string::npos);
    }
}

TEST_CASE("the log of system calls") {
    auto seen = watch::read_call_log(
        "11 execve(\"/opt/x\", [\"x\"], 0x7ffd /* 3 vars */) = 0\n"
        "11 newfstatat(AT_FDCWD</quay>, \"charts/a.txt\", 0x7ff, 0) = -1 ENOENT (No such file or directory)\n"
        "13 openat(AT_FDCWD</>, \"etc/x\", O_RDONLY <unfinished ...>\n"
        "12 execve(\"/usr/bin/env\", [\"env\"], 0x7ffd /* 3 vars */) = 0\n"
        "12 openat(AT_FDCWD</tmp>, \"x\", O_WRONLY|O_CREAT, 0666) = 3</tmp/\\303\\251 \\\"x>\n"
        "12 openat(AT_FDCWD</tmp>, \"gone\", O_RDONLY) = -1 ENOENT (No such file)\n"
        "13 <... openat resumed>) = 4</etc/passwd>\n"
        "11 +++ exited with 0 +++\n13 +++ exited with 0 +++\n12 +++ killed by SIGKILL +++\n12 "
        "openat(AT_FDCWD, \"cut o",
        "/opt/");
    CHECK(seen.programs == std::set<std::string>{"/opt/x", "/usr/bin/env"});
    CHECK(seen.missing == std::set<std::string>{"/quay/charts/a.txt", "/tmp/gone"});
    CHECK(seen.left_behind == std::vector<std::string>{"/usr/bin/env"});
    CHECK(seen.written == std::set<std::string>{"/tmp/\xC3\xA9 \"x"});
    CHECK(seen.opened == std::set<std::string>{"/etc/passwd", "/etc/x"});
}

TEST_CASE("files and metadata of an environment's packages are learnt wherever it lies") {
    Workshop workshop("learnt");
    std::string packages = workshop.make_environment();
    workshop.write(packages + "quay/__init__.py", "FOLDER = __spec__.submodule_search_locations[0]\n");
    workshop.write(packages + "quay/tables/a.dat", "seven\n");
    workshop.write(packages + "rope-2.5.dist-info/METADATA",
                   "Metadata-Version: 2.1\nName: rope\nVersion: 2.5\n");
    workshop.write(
        "main.py",
        "import importlib.metadata, os, quay\n"
        "print(open(os.path.join(quay.FOLDER, 'selbat'[::-1], 'a.' + 'tad'[::-1])).read().strip())\n"
        "print(importlib.metadata.version('epor'[::-1]))\n");
    auto rehearsed =
        workshop.omnistasis({"rehearse", "main.py", "--runtime", ".venv", "--without", "whole-packages"});
    INFO(rehearsed.out << rehearsed.err);
    CHECK(rehearsed.out.find("quay/tables/a.dat") != std::string::npos);
    CHECK(rehearsed.out.find("rope.dist-info/METADATA") != std::string::npos);
    auto again =
        workshop.omnistasis({"rehearse", "main.py", "--runtime", ".venv", "--without", "whole-packages"});
    CHECK(again.out.find("the trace had all of it, at the places where it is looked for") !=
          std::string::npos);
    REQUIRE(workshop.omnistasis({"build", "main.py", "--runtime", ".venv", "--without", "whole-packages"})
                .exit_code == 0);
    workshop.shell("mv .venv gone");
    CHECK(workshop.shell("./out/linux-x86_64/main").out == "seven\n2.5\n");
}
