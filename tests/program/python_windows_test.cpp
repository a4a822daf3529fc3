// Python applications for Windows: the runtime from the stock, packages by the lock, runs under Wine.
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

bool has(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

struct Yard : Workshop {
    explicit Yard(const std::string& name) : Workshop("windows python " + name) {}

    ProgramOutput here(const std::string& arguments) {
        return shell("export OMNISTASIS_RUNTIMES=\"$PWD/stock\" OMNISTASIS_PACKAGES=\"$PWD/packages\"; " +
                     std::string(test::quoted_program) + " " + arguments);
    }
    ProgramOutput build(const std::string& options) {
        return here("build app/main.py --target windows-x86_64 --compress fast " + options);
    }
    /// Through pipes: of a file as a stream Wine makes nothing that Python could use.
    ProgramOutput wine(const std::string& command) {
        return shell("export WINEPREFIX=\"$PWD/prefix\" WINEDEBUG=-all LC_ALL=C.UTF-8 DISPLAY= HOME=\"$PWD\" "
                     "WINEDLLOVERRIDES='winedbg.exe=d;wbemprox=d;mscoree=d;mshtml=d'; : | { wine " +
                     command + "; echo \"exit $?\"; } 2>&1 | tr -d '\\r'");
    }
    void make_prefix() {
        shell("export WINEPREFIX=\"$PWD/prefix\" WINEDEBUG=-all DISPLAY= HOME=\"$PWD\" "
              "WINEDLLOVERRIDES='mscoree=d;mshtml=d'; wineboot -i >/dev/null 2>&1; wineserver -w");
    }
    ~Yard() { shell("export WINEPREFIX=\"$PWD/prefix\"; [ -d prefix ] && wineserver -k"); }
};

/// Whether the runtime and Wine are here; says what is not.
bool has_all() {
    if (!is_file(OTHER_RUNTIMES "/python-windows-x86_64/done")) {
        WARN("skipped: there is no Python for Windows (scripts/fetch_runtimes.sh)");
        return false;
    }
    if (find_on_path("wine").empty()) {
        WARN("skipped: wine is not installed");
        return false;
    }
    return true;
}

} // namespace

TEST_CASE("a Python application for Windows does there what its source does") {
    if (!has_all()) return;
    Yard yard("run");
    yard.write("app/main.py", R"py(import json, multiprocessing, os, subprocess, sys
if sys.platform == "win32":
    import quay.of_windows as quay
    import winreg
else:
    import quay.of_linux as quay

def square(number, queue):
    queue.put(number * number)

if __name__ == "__main__":
    print(quay.NAME, sys.platform, json.dumps(sys.argv[1:]), os.path.basename(__file__), winreg.HKEY_CURRENT_USER > 0)
    queue = multiprocessing.Queue()
    child = multiprocessing.Process(target=square, args=(7, queue))
    child.start()
    print(queue.get(), child.join(), child.exitcode)
    again = subprocess.run([sys.executable, "-c", "import sys; print(sys.argv[1]); sys.exit(300)", 'a "b'], capture_output=True)
    print(again.stdout.split(), again.returncode)
    with open(os.path.join(os.path.dirname(__file__), "berths.txt")) as file:
        print(file.read().strip())
    sys.exit(3000)
)py");
    yard.write("app/quay/of_windows.py", "NAME = 'of Windows'\n");
    yard.write("app/quay/of_linux.py", "import fcntl\nNAME = 'of Linux'\n");
    yard.write("app/berths.txt", "A1\n");
    ProgramOutput lacks = yard.build("");
    CHECK(lacks.exit_code == 4);
    CHECK(has(lacks.err, "omnistasis runtimes fetch python --target windows-x86_64"));
    ProgramOutput added = yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'");
    CHECK(has(added.out, "python 3.11.9 for windows-x86_64"));
    yard.make_prefix();
    ProgramOutput built = yard.build("--out one");
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(built.err.empty());
    std::string expected = "of Windows win32 [\"a b\", \"c\\\"d\", \"\"] main.py True\n49 None 0\n"
                           "[b'a', b'\"b'] 300\nA1\nexit 184\n"; // 3000, as far as a shell can say it
    CHECK(yard.wine("one/main.exe 'a b' 'c\"d' ''").out == expected);
    REQUIRE(yard.build("--out two --form folder --name 'tide board'").exit_code == 0);
    CHECK(yard.wine("'two/tide board/tide board.exe' 'a b' 'c\"d' ''").out == expected);
    ProgramOutput proof = yard.here("prove one/main.exe");
    CHECK(proof.exit_code == 4);
    CHECK(has(proof.err, "an output for windows-x86_64 is not proved on this machine"));
    // Equal bytes from another folder.
    yard.shell("cp -r app elsewhere");
    REQUIRE(
        yard.here("build elsewhere/main.py --target windows-x86_64 --compress fast --out three").exit_code ==
        0);
    CHECK(yard.shell("cmp one/main.exe three/main.exe").exit_code == 0);

    // What ends it is told as from source, without our own frames.
    yard.write("app/fails.py", "def load():\n    raise ValueError('tide')\n\nload()\n");
    REQUIRE(yard.here("build app/fails.py --target windows-x86_64 --compress fast --out four").exit_code ==
            0);
    std::string told = yard.wine("four/fails.exe").out;
    CHECK(has(told, "line 4, in <module>"));
    CHECK(has(told, "ValueError: tide\nexit 1\n"));
    CHECK_FALSE(has(told, "_omnistasis"));
}

TEST_CASE("packages for Windows are named all at once, fetched, locked and built in") {
    if (!has_all()) return;
    if (run_program({"/usr/bin/python3", "-m", "pip", "--version"})->exit_code != 0) {
        WARN("skipped: pip is not installed");
        return;
    }
    Yard yard("packages");
    yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'");
    std::string packages = yard.make_environment();
    auto install = [&](const std::string& name, const std::string& module,
                       const std::string& requires_lines) {
        yard.write(packages + module + ".py", "NAME = 'here'\n");
        std::string folder = packages + name + "-1.0.dist-info/";
        yard.write(folder + "METADATA",
                   "Metadata-Version: 2.1\nName: " + name + "\nVersion: 1.0\n" + requires_lines);
        yard.write(folder + "RECORD", module + ".py,,\n" + name + "-1.0.dist-info/METADATA,,\n");
    };
    std::string of_buoys = "Requires-Dist: flags>=1; sys_platform == \"win32\"\n"
                           "Requires-Dist: poles; sys_platform == \"linux\"\n";
    install("buoys", "buoys", of_buoys);
    install("poles", "poles", "");
    // Wheels: what Windows gets has other contents.
    yard.write("make.py", R"py(import sys, zipfile
for name, text, needs in (("buoys", "import flags\nNAME = 'there ' + flags.NAME\n", open("needs.txt").read()), ("flags", "NAME = 'flagged'\n", "")):
    info = name + "-1.0.dist-info/"
    with zipfile.ZipFile("wheels/" + name + "-1.0-py3-none-any.whl", "w") as wheel:
        wheel.writestr(name + ".py", text)
        wheel.writestr(info + "METADATA", "Metadata-Version: 2.1\nName: %s\nVersion: 1.0\n%s" % (name, needs))
        wheel.writestr(info + "WHEEL", "Wheel-Version: 1.0\nGenerator: hand\nRoot-Is-Purelib: true\nTag: py3-none-any\n")
        wheel.writestr(info + "RECORD", "".join(line + ",,\n" for line in (name + ".py", info + "METADATA", info + "WHEEL", info + "RECORD")))
)py");
    yard.write("needs.txt", of_buoys);
    REQUIRE(yard.shell("mkdir wheels && /usr/bin/python3 make.py").exit_code == 0);
    yard.write("app/main.py", "import buoys\nprint(buoys.NAME)\n");

    ProgramOutput lacks = yard.build("--runtime .venv");
    CHECK(lacks.exit_code == 4);
    CHECK(has(lacks.err, "2 packages for windows-x86_64 are missing"));
    CHECK(has(lacks.err, "\n  buoys==1.0  (app/main.py:1)\n  flags>=1  ("));
    CHECK_FALSE(has(lacks.err, "poles"));
    CHECK(has(lacks.err, "omnistasis packages fetch app/main.py --target windows-x86_64 --runtime .venv"));

    ProgramOutput none =
        yard.here("packages fetch app/main.py --target windows-x86_64 --runtime .venv --from empty");
    CHECK(none.exit_code == 4);
    CHECK_FALSE(is_file(yard.path("app/omnistasis.lock")));
    ProgramOutput fetched =
        yard.here("packages fetch app/main.py --target windows-x86_64 --runtime .venv --from wheels -v");
    INFO(fetched.err);
    REQUIRE(fetched.exit_code == 0);
    CHECK(
        has(fetched.out, "buoys  1.0  buoys-1.0-py3-none-any.whl\nflags  1.0  flags-1.0-py3-none-any.whl\n"));
    CHECK(has(fetched.err, "pip download "));
    CHECK(has(read_text(yard.path("app/omnistasis.lock")).value(), "file = \"flags-1.0-py3-none-any.whl\""));
    CHECK(
        has(yard.here("packages fetch app/main.py --target windows-x86_64 --runtime .venv --from wheels").err,
            "nothing is missing"));
    REQUIRE(yard.build("--runtime .venv").exit_code == 0);
    yard.make_prefix();
    CHECK(yard.wine("app/out/windows-x86_64/main.exe").out == "there flagged\nexit 0\n");

    // A machine with the lock and without the wheels.
    yard.shell("rm -rf packages");
    ProgramOutput bare = yard.build("--runtime .venv");
    CHECK(bare.exit_code == 4);
    CHECK(has(bare.err, "packages for windows-x86_64 are not on this machine"));
}

TEST_CASE("Pythons of other systems that are not whole are refused") {
    if (!has_all()) return;
    Yard yard("broken");
    yard.shell("mkdir broken && cp '" OTHER_RUNTIMES "'/python-windows-x86_64/python* broken/");
    ProgramOutput added = yard.here("runtimes add broken");
    CHECK(added.exit_code == 3);
    CHECK(has(added.err, "its standard library is not there"));
    CHECK(yard.here("runtimes list").out.empty());
}
