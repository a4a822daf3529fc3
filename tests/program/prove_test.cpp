// Proofs: outputs in isolation, what they miss, and whether they do what their source does.
#include "support/files.h"
#include "support/json.h"
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

bool has(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

ProgramOutput build(Workshop& workshop, const std::string& entry, std::vector<std::string> options = {}) {
    // What is own goes along whole otherwise, and nothing could be forgotten.
    std::vector<std::string> command{"build", entry, "--compress", "fast", "-q", "--without", "own-files"};
    command.insert(command.end(), options.begin(), options.end());
    auto built = workshop.omnistasis(command);
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    return built;
}

} // namespace

TEST_CASE("what was forgotten is named in one run: a data file, a plugin and a library, each with its line") {
    Workshop workshop("forgotten");
    workshop.write("feeds/__init__.py", "");
    workshop.write("feeds/wind.py", "WORD = 'windy'\n");
    workshop.write("data/depths.txt", "7.4\n");
    workshop.write("main.py", "import ctypes, importlib, os, sys\n"
                              "try:\n    print(importlib.import_module(sys.argv[1]).WORD)\n"
                              "except ImportError:\n    print('no feed')\n"
                              "try:\n"
                              "    print(open(os.path.join(os.path.dirname(__file__), 'atad'[::-1], 'depths' "
                              "+ 'txt.'[::-1])).read())\n"
                              "except OSError:\n    print('no depths')\n"
                              "try:\n    ctypes.CDLL('lib%s.so.1' % sys.argv[2])\n"
                              "except OSError:\n    print('no library')\n");
    build(workshop, "main.py");
    auto proved = workshop.omnistasis({"prove", "out/linux-x86_64/main", "--", "feeds.wind", "png16-not"});
    CHECK(proved.exit_code == 1);
    proved = workshop.omnistasis(
        {"prove", "out/linux-x86_64/main", "--against-source", "--", "feeds.wind", "uuid"});
    INFO(proved.out << proved.err);
    CHECK(proved.exit_code == 1);
    for (const char* part : {"app/data/depths.txt", "main.py:7", "carry it with --asset 'data/depths.txt'",
                             "feeds\n", "main.py:3", "--include 'feeds.*'", "libuuid.so.1", "main.py:11",
                             "--include libuuid.so.1", "\"windy\" from source"})
        CHECK(has(proved.out, part));
    auto json = parse_json(*read_text(workshop.path("out/linux-x86_64/main.proof.json")));
    CHECK(json["holds"] == false);
    CHECK(json["runs"][0]["findings"].size() >= 4);
    // And as it says, so it is mended.
    build(workshop, "main.py",
          {"--asset", "data/depths.txt", "--include", "feeds.*", "--include", "libuuid.so.1"});
    proved = workshop.omnistasis(
        {"prove", "out/linux-x86_64/main", "--against-source", "--", "feeds.wind", "uuid"});
    INFO(proved.out << proved.err);
    CHECK(proved.exit_code == 0);
    CHECK(has(proved.out, "compared with the source"));
}

TEST_CASE("the source decides: exit code, both streams, standard input, files that are written, both forms") {
    Workshop workshop("compared");
    workshop.write(
        "main.py",
        "import os, sys\nprint(sys.stdin.read().upper(), __file__, os.getcwd(), os.path.expanduser('~'))\n"
        "print('warned', file=sys.stderr)\nopen('made.txt', 'w').write('tide')\n"
        "open(os.path.expanduser('~/.tide'), 'w').write('x')\nraise SystemExit(3)\n");
    workshop.write("in.txt", "ahoy\n");
    for (std::string form : {"file", "folder"}) {
        build(workshop, "main.py", {"--form", form, "--out", "out " + form});
        auto proved =
            workshop.omnistasis({"prove", "out " + form + "/main", "--against-source", "--input", "in.txt"});
        INFO(proved.out << proved.err);
        CHECK(proved.exit_code == 0);
        CHECK(workshop.omnistasis({"prove", "out " + form + "/main", "--exit-code", "3"}).exit_code == 0);
        auto wrong = workshop.omnistasis({"prove", "out " + form + "/main"});
        CHECK(wrong.exit_code == 1);
        CHECK(has(wrong.out, "it ended with 3 instead of 0"));
    }
    // A program that looks at what it is does another thing.
    workshop.write("main.py", "import sys\nprint(hasattr(sys, 'ps1'), '.cache' in __file__)\n");
    build(workshop, "main.py");
    auto proved = workshop.omnistasis({"prove", "out/linux-x86_64/main", "--against-source"});
    CHECK(proved.exit_code == 1);
    CHECK(has(proved.out, "line 1: \"False False\" from source, \"False True\" built"));
}

TEST_CASE("a list of runs is the project's acceptance list") {
    Workshop workshop("list");
    workshop.write("main.py", "import os, sys, time\nprint(os.environ.get('TIDE'), "
                              "sys.argv[1:])\nopen('a.txt', 'w').write('high')\n");
    workshop.write(
        "main.proof.toml",
        "format = 1\n\n[[run]]\nname = \"high\"\narguments = [\"x y\"]\nvariables = { TIDE = \"7\" }\n"
        "output = \"7 ['x y']\\n\"\nfiles = { \"a.txt\" = \"high\" }\n\n[[run]]\nname = \"low\"\nfiles = { "
        "\"b.txt\" = \"\" }\n");
    auto built = workshop.omnistasis({"build", "main.py", "--compress", "fast", "--prove"});
    INFO(built.out << built.err);
    CHECK(built.exit_code == 1);
    CHECK(has(built.out, "high: holds  main x y"));
    CHECK(has(built.out, "low: does not hold"));
    CHECK(has(built.out, "b.txt\n"));
    workshop.write("main.proof.toml", "format = 1\n[[run]]\nargument = []\n");
    auto wrong = workshop.omnistasis({"prove", "out/linux-x86_64/main"});
    CHECK(wrong.exit_code == 3);
    CHECK(has(wrong.err, "main.proof.toml:3:1"));
    CHECK(has(wrong.err, "did you mean arguments?"));
}

TEST_CASE("programs that never end, leave children behind, or start what is not there") {
    Workshop workshop("unruly");
    workshop.write("never.py", "print('begun', flush=True)\nimport signal\nsignal.pause()\n");
    workshop.write(
        "child.py",
        "import subprocess, sys\nsubprocess.Popen([sys.executable, '-c', 'import signal; signal.pause()'])\n"
        "try:\n    subprocess.run(['awk', '--version'])\nexcept OSError:\n    pass\n");
    build(workshop, "never.py");
    auto never = workshop.omnistasis({"prove", "out/linux-x86_64/never", "--seconds", "1"});
    CHECK(never.exit_code == 1);
    CHECK(has(never.out, "it did not end within 1 s"));
    build(workshop, "child.py");
    auto child = workshop.omnistasis({"prove", "out/linux-x86_64/child"});
    INFO(child.out << child.err);
    CHECK(child.exit_code == 0);
    CHECK(has(child.out, "processes that it left behind"));
    CHECK(has(child.out, "awk"));
}

TEST_CASE("a window opens on a virtual display, stays away, or is blank") {
    Workshop workshop("window");
    const std::string start = "import tkinter\nroot = tkinter.Tk()\n";
    workshop.write("good.py", start + "tkinter.Label(root, text='Port Halcyon').pack()\nroot.mainloop()\n");
    workshop.write("blank.py",
                   start +
                       "root.configure(background='#345678')\nroot.geometry('200x100')\nroot.mainloop()\n");
    workshop.write("none.py", "raise SystemExit('no sea')\n");
    workshop.write("late.py", start + "tkinter.Label(root, text='Berths').pack()\ndef late():\n    raise "
                                      "ValueError('no tides')\nroot.after(1, late)\nroot.mainloop()\n");
    for (auto [name, code, part] : {std::tuple("good", 0, "a window of "),
                                    {"blank", 1, "the window is of one colour"},
                                    {"none", 1, "no window came up"},
                                    {"late", 0, "to standard error, at last:\n            ValueError: no"}}) {
        build(workshop, std::string(name) + ".py");
        auto proved = workshop.omnistasis(
            {"prove", std::string("out/linux-x86_64/") + name, "--display", "--seconds", "20"});
        INFO(proved.out << proved.err);
        CHECK(proved.exit_code == code);
        CHECK(has(proved.out, part));
        CHECK(fs::exists(workshop.path(std::string("out/linux-x86_64/") + name + "-window.png")));
    }
}

TEST_CASE("what is no output can't be proved") {
    Workshop workshop("wrong");
    workshop.write("text", "no program\n");
    CHECK(has(workshop.omnistasis({"prove", "nothing"}).err, "there is no such output"));
    fs::create_directories(workshop.path("folder"));
    CHECK(has(workshop.omnistasis({"prove", "folder"}).err, "the folder is not an output"));
    auto text = workshop.omnistasis({"prove", "text"});
    CHECK(text.exit_code != 0);
    // Nothing is written into a folder that is somebody else's.
    CHECK_FALSE(fs::exists(workshop.path("text.proof.json")));
}

TEST_CASE("inspect: an output's contents, its hashes, its files, and what others are") {
    Workshop workshop("inspect");
    workshop.write("main.py", "print('ahoy')\n");
    build(workshop, "main.py");
    auto seen =
        workshop.omnistasis({"inspect", "out/linux-x86_64/main", "--verify", "--extract", "taken apart"});
    INFO(seen.out << seen.err);
    CHECK(seen.exit_code == 0);
    for (const char* part :
         {"Omnistasis output", "runs on glibc ", "Debian 12", "every hash is right", "bin/main"})
        CHECK(has(seen.out, part));
    CHECK(fs::exists(workshop.path("taken apart/bin/main")));
    CHECK(workshop.omnistasis({"inspect", "out/linux-x86_64/main", "--extract", "taken apart"}).exit_code ==
          3);
    auto json = parse_json(workshop.omnistasis({"inspect", "--json", "out/linux-x86_64/main"}).out);
    CHECK(json["files"][0]["output"]["files"].size() > 5);
    // A flipped bit in the payload's middle.
    std::string bytes = *read_text(workshop.path("out/linux-x86_64/main"));
    bytes[bytes.size() / 2] = static_cast<char>(bytes[bytes.size() / 2] ^ 4);
    workshop.write("damaged", bytes);
    CHECK(workshop.omnistasis({"inspect", "damaged", "--verify"}).exit_code == 3);
    // A figure of an output, and of a file that lacks something.
    CHECK(workshop.omnistasis({"inspect", "out/linux-x86_64/main", "--figure", "parts.svg"}).exit_code == 0);
    std::string figure = *read_text(workshop.path("parts.svg"));
    for (const char* part : {"libc.so.6", "every system has it", "bin/"}) CHECK(has(figure, part));
    workshop.shell("echo 'int quay(void){return 1;}' > q.c && cc -shared -Wl,-soname,libquay.so.1 -o "
                   "libquay.so.1 q.c && "
                   "echo 'int quay(void);int main(void){return quay();}' > u.c && cc -o use u.c "
                   "./libquay.so.1 && rm libquay.so.1");
    CHECK(workshop.omnistasis({"inspect", "use", "--figure", "use.svg"}).exit_code == 0);
    CHECK(has(*read_text(workshop.path("use.svg")), "libquay.so.1: not found"));
    CHECK(workshop.omnistasis({"inspect", "use", "--figure", "use.png"}).exit_code == 0);
    CHECK(read_text(workshop.path("use.png"))->starts_with("\x89PNG"));
    CHECK(workshop.omnistasis({"inspect", "use", "--figure", "use.gif"}).exit_code == 2);
    workshop.write("cut", read_text(workshop.path("out/linux-x86_64/main"))->substr(0, 1000000));
    CHECK(has(workshop.omnistasis({"inspect", "cut"}).err, "the file was cut off"));
    workshop.write("text", "no program\n");
    CHECK(workshop.omnistasis({"inspect", "text"}).exit_code == 3);
    CHECK(workshop.omnistasis({"inspect", "nothing"}).exit_code == 3);
    CHECK(has(workshop.omnistasis({"inspect", "/bin/true"}).out, "libc.so.6"));
    CHECK(has(workshop.omnistasis({"inspect", workshop.path("taken apart").string()}).out, "native files"));
}

TEST_CASE("inspect: a library that is asked for by two names is there for both") {
    Workshop workshop("two names");
    auto made = workshop.shell(
        "echo 'int bell(void) { return 1; }' > bell.c; echo 'int main(void) { return 0; }' > main.c;"
        "cc -shared -fPIC -Wl,-soname,libalias.so.1 -o libalias.so.1 bell.c &&"
        "cc -shared -fPIC -Wl,-soname,libbell.so.1 -o libbell.so.1 bell.c &&"
        "cc -Wl,--no-as-needed,-rpath,'$ORIGIN' -o main main.c ./libbell.so.1 ./libalias.so.1 &&"
        "ln -sf libbell.so.1 libalias.so.1 && ./main");
    INFO(made.err);
    REQUIRE(made.exit_code == 0);
    auto inspected = workshop.omnistasis({"inspect", "main"});
    INFO(inspected.out);
    CHECK(inspected.exit_code == 0);
    CHECK(inspected.out.find("  libalias.so.1  ") != std::string::npos);
    CHECK(inspected.out.find("not found") == std::string::npos);
}

TEST_CASE("a project moves libraries to the host's side, or to its own") {
    Workshop workshop("sides");
    workshop.write("main.py", "import zlib\nprint(zlib.crc32(b'tide'))\n");
    workshop.write(
        "omnistasis.toml",
        "[app]\nentry = \"main.py\"\n\n[native]\nhost = [\"libz.so.1\"]\ncarry = [\"libm.so.*\"]\n");
    auto built = workshop.omnistasis({"build", "--compress", "fast", "-q", "--save"});
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(has(*read_text(workshop.path("omnistasis.toml")),
              "[native]\ncarry = [\"libm.so.*\"]\nhost = [\"libz.so.1\"]\n"));
    auto seen = workshop.omnistasis({"inspect", "-v", "out/linux-x86_64/main"});
    CHECK_FALSE(has(seen.out, "lib/libz.so.1"));
    CHECK(has(seen.out, "lib/libm.so.6"));
    auto proved = workshop.omnistasis({"prove", "out/linux-x86_64/main", "-v"});
    INFO(proved.out << proved.err);
    CHECK(proved.exit_code == 0);
    CHECK(has(proved.out, "from the system: libc.so.6 libz.so.1"));
    workshop.write("omnistasis.toml", "[app]\nentry = \"main.py\"\n[native]\nhosts = []\n");
    CHECK(has(workshop.omnistasis({"build"}).err, "omnistasis.toml:4:1"));
}

TEST_CASE("with its own C library an application runs where there is none, and sees what it always sees") {
    Workshop workshop("own c library");
    workshop.write("main.py", "import os, subprocess, sys, threading\n"
                              "print(sys.argv[1:], os.environ.get('PLACE'), sorted(os.environ))\n"
                              "print(os.readlink('/proc/self/exe'), open('/proc/self/comm').read().strip())\n"
                              "print(open('/proc/self/cmdline').read().split('\\0')[:3])\n"
                              "print(subprocess.check_output([sys.executable, '-c', 'print(6 * 7)']))\n"
                              "sys.exit(3)\n");
    auto empty_root = [&](const std::string& output, const std::string& program) {
        return run_program({"bwrap",       "--unshare-all", "--die-with-parent",
                            "--clearenv",  "--setenv",      "PLACE",
                            "quay",        "--setenv",      "OMNISTASIS_CACHE",
                            "/tmp",        "--proc",        "/proc",
                            "--dev",       "/dev",          "--tmpfs",
                            "/tmp",        "--ro-bind",     workshop.path(output).string(),
                            "/opt/output", program,         "one two",
                            "three"});
    };
    build(workshop, "main.py");
    auto without = empty_root("out/linux-x86_64/main", "/opt/output");
    REQUIRE(without);
    CHECK(without->exit_code == 123);
    CHECK(has(without->err, "lacks the C library that it was built for"));
    workshop.write("omnistasis.toml", "[app]\nentry = \"main.py\"\n[native]\ncarry_libc = true\n");
    for (const char* form : {"file", "folder"}) {
        INFO(form);
        build(workshop, ".", {"--form", form});
        bool single = std::string(form) == "file";
        std::string program = single ? "/opt/output" : "/opt/output/main";
        auto ran = empty_root("out/linux-x86_64/main", program);
        REQUIRE(ran);
        INFO(ran->out << ran->err);
        CHECK(ran->exit_code == 3);
        CHECK(has(ran->out, "['one two', 'three'] quay ['OMNISTASIS_CACHE', 'PLACE', 'PWD']"));
        CHECK(has(ran->out, program + (single ? " output\n" : " main\n")));
        CHECK(has(ran->out, "['" + program + "', 'one two', 'three']"));
        CHECK(has(ran->out, "b'42\\n'"));
        auto inspected =
            workshop.omnistasis({"inspect", single ? "out/linux-x86_64/main" : "out/linux-x86_64/main/main"});
        CHECK(has(inspected.out, "with any C library or none: it brings its own"));
        auto proved = workshop.omnistasis({"prove", "out/linux-x86_64/main", "--exit-code", "3"});
        INFO(proved.out << proved.err);
        CHECK(proved.exit_code == 0);
        CHECK(!has(proved.out, "of the system"));
    }
}

TEST_CASE("a folder beside the entry is missed, the entry itself is not") {
    Workshop workshop("beside");
    workshop.write("flags/a.txt", "fog\n");
    workshop.write("board",
                   "#!/usr/bin/env python3\nimport os\nhere = os.path.dirname(os.path.abspath(__file__))\n"
                   "print(os.path.isfile(__file__), os.path.isfile('/etc/fstab') or 1)\n"
                   "folder = os.path.join(here, 'sgalf'[::-1])\n"
                   "print(os.listdir(folder) if os.path.isdir(folder) else [])\n");
    build(workshop, "board", {"--without", "own-files"});
    auto proved = workshop.omnistasis({"prove", "out/linux-x86_64/board"});
    INFO(proved.out << proved.err);
    CHECK(proved.exit_code == 1);
    CHECK(has(proved.out, "app/flags/"));
    CHECK_FALSE(has(proved.out, "app/board"));
    CHECK_FALSE(has(proved.out, "fstab"));
}

TEST_CASE("a toolkit that was left out is needed where the program stops for want of it") {
    Workshop workshop("toolkit");
    std::string packages = workshop.make_environment();
    workshop.write(packages + "PyQt5/__init__.py", "SHAPE = 'window'\n");
    workshop.write(packages + "figures/__init__.py", "def draw():\n    try:\n        import PyQt5\n"
                                                     "    except ImportError:\n        raise SystemExit(4)\n"
                                                     "    print(PyQt5.SHAPE)\n");
    workshop.write("main.py", "import figures\nfigures.draw()\n");
    build(workshop, "main.py", {"--runtime", ".venv"});
    auto proved = workshop.omnistasis({"prove", "out/linux-x86_64/main", "--against-source"});
    INFO(proved.out << proved.err);
    CHECK(proved.exit_code == 1);
    CHECK(has(proved.out, "--include PyQt5"));
    build(workshop, "main.py", {"--runtime", ".venv", "--include", "PyQt5"});
    CHECK(workshop.omnistasis({"prove", "out/linux-x86_64/main", "--against-source"}).exit_code == 0);
}

TEST_CASE("an output is proved by its own trace, and not by that of another in its folder") {
    Workshop workshop("two outputs");
    workshop.write("one.py", "print('one')\n");
    workshop.write("two.py", "print('two')\n");
    build(workshop, "one.py", {"--out", "both"});
    build(workshop, "two.py", {"--out", "both"});
    // Nor is what was said of one gone with another; an executable may be called otherwise by now.
    workshop.shell("mv both/one both/first");
    for (const char* name : {"both/first", "both/two"}) {
        auto proved = workshop.omnistasis({"prove", name, "--against-source"});
        INFO(proved.err);
        CHECK(proved.exit_code == 0);
        CHECK(has(proved.out, "compared with the source"));
    }
    CHECK(fs::exists(workshop.path("both/one.proof.json")));
    CHECK(fs::exists(workshop.path("both/two.proof.json")));
    workshop.shell("rm both/one.trace.json");
    auto other = workshop.omnistasis({"prove", "both/first"});
    CHECK(other.exit_code == 0);
    CHECK(has(other.err, "its project is not at hand (there is no one.trace.json beside it): "));
    CHECK(workshop.omnistasis({"prove", "both/first", "--against-source"}).exit_code == 3);
}
