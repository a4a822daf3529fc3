// Python applications for Windows: the runtime from the stock, packages by the lock, runs under Wine.
#include "logbook.h"
#include "native/library_weight.h"
#include "support/target_info.h"
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

bool has(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

/// An interpreter of another version, as far as it is asked.
constexpr const char* other_interpreter =
    "#!/bin/sh\n[ \"$1\" = -c ] || exec /usr/bin/python3 \"$@\"\n"
    "exec /usr/bin/python3 -c \"import sys; sys.version_info = (3, 10, 1, 'final', 0)\n$2\" \"$3\"\n";

struct Yard : Workshop {
    explicit Yard(const std::string& name) : Workshop("windows python " + name) {}

    ProgramOutput here(const std::string& arguments) {
        return shell("export OMNISTASIS_RUNTIMES=\"$PWD/stock\" OMNISTASIS_PACKAGES=\"$PWD/packages\"; " +
                     std::string(test::quoted_program) + " " + arguments);
    }
    ProgramOutput build(const std::string& options) {
        return here("build app/main.py --target windows-x86_64 --compress fast " + options);
    }
    /// With an interpreter of another version, and no other on PATH.
    ProgramOutput with_other_interpreter(const std::string& arguments) {
        write("bin/python3", other_interpreter);
        return shell("chmod +x bin/python3; export PATH=\"$PWD/bin\" OMNISTASIS_RUNTIMES=\"$PWD/stock\"; " +
                     std::string(test::quoted_program) + " " + arguments);
    }
    /// Through pipes: of a file as a stream Wine makes nothing that Python could use.
    ProgramOutput wine(const std::string& command) {
        return shell("export WINEPREFIX=\"$PWD/prefix\" WINEDEBUG=-all LC_ALL=C.UTF-8 DISPLAY= HOME=\"$PWD\" "
                     "WINEDLLOVERRIDES='winedbg.exe=d;wbemprox=d;mscoree=d;mshtml=d'; : | { wine " +
                     command + "; echo \"exit $?\"; } 2>&1 | tr -d '\\r'");
    }
    /// Its services run on, with streams of their own: a start that had to start them would hand them its
    /// own. As an older Windows, Wine's pipes keep pools of processes waiting for ever.
    void make_prefix() {
        shell("export WINEPREFIX=\"$PWD/prefix\" WINEDEBUG=-all DISPLAY= HOME=\"$PWD\" "
              "WINEDLLOVERRIDES='mscoree=d;mshtml=d'; wineboot -i >/dev/null 2>&1; wineserver -w; "
              "(wineserver -p; wine reg add 'HKCU\\Software\\Wine' /v Version /d win10 /f) </dev/null "
              ">/dev/null 2>&1");
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
    CHECK(has(yard.here("why quay.of_windows app/main.py --target windows-x86_64").out,
              "imports quay.of_windows"));
    // From a folder of another machine.
    yard.shell("mkdir -p 'prefix/dosdevices/unc/quay/shared files'; cp one/main.exe "
               "'prefix/dosdevices/unc/quay/shared files/'");
    CHECK(yard.wine("'\\\\quay\\shared files\\main.exe' 'a b' 'c\"d' ''").out == expected);
    yard.write(
        "board.svg",
        "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 9 9'><circle cx='4' cy='4' r='3'/></svg>");
    REQUIRE(yard.build("--out two --form folder --name 'tide board' --icon board.svg").exit_code == 0);
    // What runs is the runtime's program, dressed as the application.
    CHECK(yard.shell("cd 'two/tide board'; for f in 'tide board.exe' 'tree/tide board.exe'; do wrestool -x "
                     "-t 14 -n 1 \"$f\" | "
                     "sha256sum; done | sort -u | wc -l")
              .out == "1\n");
    CHECK(yard.shell("wrestool -x --raw -t 16 'two/tide board/tree/tide board.exe' | iconv -f UTF-16LE -t "
                     "UTF-8 -c | grep -aq 'tide board'")
              .exit_code == 0);
    CHECK(yard.wine("'two/tide board/tide board.exe' 'a b' 'c\"d' ''").out == expected);
    ProgramOutput proof = yard.here("prove one/main.exe --exit-code 3000 -- 'a b'");
    INFO(proof.out << proof.err);
    CHECK(proof.exit_code == 0);
    CHECK(has(proof.out, "run: holds  main.exe a b\n  by Wine "));
    CHECK(has(proof.out, "exit code 184 after "));
    CHECK(has(read_text(yard.path("one/main.proof.json")).value(), "\"run_by\": \"Wine "));
    CHECK(yard.here("prove 'two/tide board' --exit-code 3000").exit_code == 0);
    for (const char* foreign : {"one/main.exe", "'two/tide board'"}) {
        ProgramOutput profile = yard.here(std::string("profile ") + foreign);
        CHECK(profile.exit_code == 3);
        CHECK(has(profile.err, "this output can't be started here"));
    }
    ProgramOutput with_proof = yard.build("--out two --form folder --prove");
    CHECK(with_proof.exit_code == 1);
    CHECK(has(with_proof.out, "it ended with 184 instead of 0"));
    ProgramOutput source = yard.here("prove one/main.exe --against-source -- 'a b' 'c\"d' ''");
    INFO(source.out << source.err);
    CHECK(source.exit_code == 0);
    CHECK(has(source.out, "; compared with the source\n"));
    // Equal bytes from another folder.
    yard.shell("cp -r app elsewhere");
    REQUIRE(
        yard.here("build elsewhere/main.py --target windows-x86_64 --compress fast --out three").exit_code ==
        0);
    CHECK(yard.shell("cmp one/main.exe three/main.exe").exit_code == 0);
    // And whether the interpreter here had compiled the same text before or not.
    ProgramOutput anew =
        yard.shell("export OMNISTASIS_RUNTIMES=\"$PWD/stock\" "
                   "XDG_CACHE_HOME=\"$PWD/fresh\"; bwrap --dev-bind / / $(find "
                   "\"$(/usr/bin/python3 -c 'import os; print(os.path.dirname(os.__file__))')\" -name "
                   "__pycache__ | sed 's/^/--tmpfs /') " +
                   std::string(test::quoted_program) +
                   " build app/main.py --target windows-x86_64 --compress fast --out anew");
    INFO(anew.err);
    REQUIRE(anew.exit_code == 0);
    CHECK(yard.shell("cmp one/main.exe anew/main.exe").exit_code == 0);

    // What ends it is told as from source, without our own frames.
    yard.write("app/fails.py", "def load():\n    raise ValueError('tide')\n\nload()\n");
    REQUIRE(yard.here("build app/fails.py --target windows-x86_64 --compress fast --out four").exit_code ==
            0);
    std::string told = yard.wine("four/fails.exe").out;
    CHECK(has(told, "line 4, in <module>"));
    CHECK(has(told, "ValueError: tide\nexit 1\n"));
    CHECK_FALSE(has(told, "_omnistasis"));
}

TEST_CASE("a library that was compiled when its runtime was added gives the same output") {
    if (!has_all()) return;
    Yard yard("compiled library");
    yard.write("app/main.py", "import json, sqlite3, wave\nprint(json.dumps([wave.__name__]))\n");
    REQUIRE(yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'").exit_code == 0);
    CHECK(yard.shell(
                  "ls stock/python-3.11.9-*/bytecode/json/__init__.pyc stock/python-3.11.9-*/bytecode/os.pyc")
              .exit_code == 0);
    // It was looked through, too: a trace does not read what it read then.
    ProgramOutput read =
        yard.shell("export OMNISTASIS_RUNTIMES=\"$PWD/stock\"; strace -f -qq -e trace=openat "
                   "-e status=successful " +
                   std::string(test::quoted_program) +
                   " trace app/main.py --target windows-x86_64 2>&1 >/dev/null | grep -o "
                   "'Lib/[a-z0-9/]*[.]py\"\\|main[.]py\"' | sort -u");
    CHECK(has(read.out, "main.py\""));
    for (const char* module : {"Lib/wave.py", "Lib/json/__init__.py", "Lib/sqlite3/dbapi2.py"})
        CHECK_FALSE(has(read.out, module));
    REQUIRE(yard.build("--out one").exit_code == 0);
    yard.shell("mv stock/python-3.11.9-*/bytecode .");
    auto build_anew = [&](const std::string& out) {
        return yard.shell("export XDG_CACHE_HOME=\"$PWD/cache of " + out +
                          "\" OMNISTASIS_RUNTIMES=\"$PWD/stock\"; " + std::string(test::quoted_program) +
                          " build app/main.py --target windows-x86_64 --compress fast --out " + out);
    };
    REQUIRE(build_anew("two").exit_code == 0);
    CHECK(yard.shell("cmp one/main.exe two/main.exe").exit_code == 0);
    // It is made again where it lacks, and one of a source that has changed is not taken.
    REQUIRE(yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'").exit_code == 0);
    CHECK(yard.shell("diff -r bytecode stock/python-3.11.9-*/bytecode | grep -v '^Binary' | wc -l").out ==
          "0\n");
    yard.shell("cd stock/python-3.11.9-*/files/Lib && echo 'changed = 1' >> wave.py");
    REQUIRE(build_anew("three").exit_code == 0);
    CHECK(yard.shell("cmp -s one/main.exe three/main.exe").exit_code == 1);
}

TEST_CASE("a Python for Windows with its library in a zip, as bytecode, is built from") {
    if (!has_all()) return;
    Yard yard("zipped library");
    yard.write("app/main.py",
               "import email.message, json, sqlite3, quay\n"
               "print(json.dumps(quay.NAMES), json.__file__[-17:], sqlite3.sqlite_version > '3')\n");
    yard.write("app/quay.py", "import importlib\nNAMES = [importlib.import_module('colorsys').__name__]\n");
    REQUIRE(
        yard.shell(
                "mkdir small; cd small; from='" OTHER_RUNTIMES "/python-windows-x86_64'; "
                "cp \"$from\"/*.exe \"$from\"/*.dll \"$from\"/DLLs/* .; rm -f tcl86t.dll tk86t.dll "
                "_tkinter.pyd; cp -r \"$from/Lib\" ../lib; cd ../lib; "
                "/usr/bin/python3 -m compileall -q -b -d '' . >/dev/null 2>&1; find . -name '*.py' -delete; "
                "find . -name '*.pyc' | zip -q ../small/python311.zip -@; "
                "printf 'python311.zip\\n.\\n' > ../small/python311._pth")
            .exit_code == 0);
    ProgramOutput added = yard.here("runtimes add small");
    INFO(added.out << added.err);
    REQUIRE(added.exit_code == 0);
    CHECK(has(added.out, "python 3.11.9 for windows-x86_64"));
    CHECK(has(added.err, "its library is bytecode alone"));
    CHECK(has(added.err, "it has no tkinter"));
    yard.make_prefix();
    ProgramOutput built = yard.build("--out one");
    INFO(built.out << built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(built.err.empty());
    CHECK(yard.wine("one/main.exe").out == "[\"colorsys\"] json\\__init__.pyc True\nexit 0\n");
    // Without an interpreter that reads it nothing can be built.
    ProgramOutput alone = yard.with_other_interpreter("build app/main.py --target windows-x86_64");
    CHECK(alone.exit_code == 4);
    CHECK(has(alone.err, "there is no Python 3.11 on this machine"));
}

TEST_CASE("an own library for Windows may need one that lies in another own folder") {
    if (!has_all()) return;
    Yard yard("own libraries");
    yard.write("bar.c", "__declspec(dllexport) int bar(void) { return 7; }\n");
    yard.write("foo.c", "int bar(void); __declspec(dllexport) int foo(void) { return bar() + 1; }\n");
    REQUIRE(
        yard.shell(
                "mkdir -p app/libs app/native; x86_64-w64-mingw32-gcc -shared -o app/libs/bar.dll bar.c "
                "-Wl,--out-implib,bar.a && x86_64-w64-mingw32-gcc -shared -o app/native/foo.dll foo.c bar.a")
            .exit_code == 0);
    yard.write("app/main.py", "import ctypes, os\nhere = os.path.dirname(os.path.abspath(__file__))\n"
                              "os.add_dll_directory(os.path.join(here, 'libs'))\n"
                              "print(ctypes.CDLL(os.path.join(here, 'native', 'foo.dll')).foo())\n");
    REQUIRE(yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'").exit_code == 0);
    ProgramOutput built = yard.build("--out one");
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(built.err.empty());
    yard.make_prefix();
    CHECK(yard.wine("one/main.exe").out == "8\nexit 0\n");
}

TEST_CASE("what libraries for Windows bring along is weighed where they lie") {
    if (!has_all()) return;
    std::string folder = OTHER_RUNTIMES "/python-windows-x86_64/DLLs/";
    auto find = [&](const std::string& name, const std::string&) {
        return is_file(folder + name) ? folder + name : std::string();
    };
    auto size = [&](const std::string& name) { return fs::file_size(folder + name); };
    CHECK(native::weight_of_new_libraries({folder + "_ssl.pyd"}, {}, find) ==
          size("libssl-3.dll") + size("libcrypto-3.dll"));
    CHECK(native::weight_of_new_libraries({folder + "_ssl.pyd"}, {folder + "_hashlib.pyd"}, find) ==
          size("libssl-3.dll"));
    CHECK(native::weight_of_new_libraries({folder + "_ssl.pyd", folder + "libssl-3.dll"}, {}, find) ==
          size("libcrypto-3.dll"));
}

TEST_CASE("Qt for Windows comes with its plug-ins, and not with all that lies beside them") {
    if (!has_all()) return;
    Yard yard("known folders");
    yard.write(
        "small.c",
        "__declspec(dllexport) const char* words[] = {\"PyImport_ImportModule\", \"Qt6\", \"charts\"};\n");
    REQUIRE(yard.shell("x86_64-w64-mingw32-gcc -shared -o small.dll small.c; mkdir wheels").exit_code == 0);
    auto make_wheel = [&](const std::string& name, const std::string& files) {
        yard.shell("mkdir -p '" + name + "/" + name + "-6.dist-info'; cd '" + name + "'; mkdir " + name +
                   "; touch " + name + "/__init__.py; for f in " + files + "; do mkdir -p $(dirname " + name +
                   "/$f); cp ../small.dll " + name + "/$f; done; dd if=/dev/zero of=" + name +
                   "/large.dat bs=1M count=11 2>/dev/null; "
                   "printf 'Metadata-Version: 2.1\nName: " +
                   name + "\nVersion: 6\n' > " + name +
                   "-6.dist-info/METADATA; "
                   "printf 'Wheel-Version: 1.0\nTag: py3-none-win_amd64\n' > " +
                   name +
                   "-6.dist-info/WHEEL; "
                   "for f in $(find . -type f) ./" +
                   name +
                   "-6.dist-info/RECORD; do echo \"${f#./},,\"; done > ../record; "
                   "mv ../record " +
                   name + "-6.dist-info/RECORD; zip -qr ../wheels/" + name + "-6-py3-none-win_amd64.whl .");
    };
    make_wheel("PyQt6",
               "QtCore.pyd QtGui.pyd Qt6/qml/Board.qml Qt6/plugins/platforms/qwindows.dll charts/legend.dat");
    make_wheel("PySide6",
               "QtGui.pyd plugins/platforms/qwindows.dll plugins/designer/other.dll qml/Board.qml");
    yard.write("app/main.py", "import PyQt6.QtCore, PyQt6.QtGui, PySide6.QtGui\n");
    yard.write("app/requirements.txt",
               "PyQt6==6; sys_platform == 'win32'\nPySide6==6; sys_platform == 'win32'\n");
    REQUIRE(yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'").exit_code == 0);
    ProgramOutput fetched = yard.here("packages fetch app/main.py --target windows-x86_64 --from wheels");
    INFO(fetched.err);
    REQUIRE(fetched.exit_code == 0);
    REQUIRE(yard.build("--out one").exit_code == 0);
    std::string inside = yard.here("inspect one/main.exe -v").out;
    INFO(inside);
    CHECK(has(inside, "PyQt6/QtCore.pyd"));
    CHECK(has(inside, "PyQt6/Qt6/plugins/platforms/qwindows.dll"));
    CHECK(has(inside, "PyQt6/charts/legend.dat"));
    CHECK(has(inside, "PySide6/plugins/platforms/qwindows.dll"));
    CHECK_FALSE(has(inside, "Board.qml"));
    CHECK_FALSE(has(inside, "other.dll"));
}

TEST_CASE("without an interpreter of the target's version the modules' sources go along") {
    if (!has_all()) return;
    Yard yard("sources");
    yard.write("app/main.py", R"py(import concurrent.futures, inspect, sys
import collections.abc, quay

if __name__ == "__main__":
    print(quay.NAME, inspect.getsource(quay.square).split()[1], sys.dont_write_bytecode)
    with concurrent.futures.ProcessPoolExecutor(2) as pool:
        print(list(pool.map(quay.square, [3, 4])))
    quay.square("low")
)py");
    yard.write("app/quay.py",
               "# -*- coding: latin-1 -*-\n\"\"\"With \\\\.\"\"\"\nNAME = 'K\xe4i' \ndef square(number):\n"
               "    return number * number\n");
    REQUIRE(yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'").exit_code == 0);
    yard.make_prefix();
    std::string build = "build app/main.py --target windows-x86_64 --compress fast --out one";
    ProgramOutput built = yard.with_other_interpreter(build);
    INFO(built.out << built.err);
    REQUIRE(built.exit_code == 0);
    CHECK(has(built.err, "there is no Python 3.11 on this machine to compile with\n    effect all modules go "
                         "along as source text"));
    CHECK_FALSE(has(built.err, "a source text is asked for"));
    std::string said = yard.wine("one/main.exe").out;
    CHECK(has(said, "square(number): False\n[9, 16]\nTraceback"));
    CHECK(has(said, "quay.py\", line 5, in square\n    return number * number\n"));
    CHECK(has(said, "TypeError"));
    CHECK_FALSE(has(said, "_omnistasis"));
    // Nothing was written beside what was unpacked.
    CHECK(yard.shell("find prefix/drive_c/users -path '*omnistasis*' -name '*.pyc' -size +0").out.empty());
    // With one it is compiled.
    REQUIRE(yard.here(build).exit_code == 0);
    CHECK_FALSE(has(yard.wine("one/main.exe").out, "_omnistasis"));
    CHECK(yard.here("inspect one/main.exe --verify").exit_code == 0);
}

TEST_CASE("frames of wxPython without an icon show the application's on Windows") {
    if (!has_all()) return;
    Yard yard("frames");
    REQUIRE(yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'").exit_code == 0);
    yard.write("app/buoy.svg",
               "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 8 8\"><circle r=\"4\"/></svg>");
    yard.write("app/omnistasis.toml", "[app]\nentry = \"board.py\"\nicon = \"buoy.svg\"\n");
    // What of the toolkit matters here.
    yard.write("app/wx/__init__.py", "from wx.core import *\n");
    yard.write("app/wx/core.py", R"py(SYS_SMALLICON_X, SYS_ICON_X, BITMAP_TYPE_ICO = 1, 2, 3
class Icon:
    def __init__(self, *given): self.given = given
    def IsOk(self): return bool(self.given)
class IconBundle(list):
    AddIcon = list.append
class SystemSettings:
    GetMetric = staticmethod(lambda which: 16 * which)
class Frame:
    icons = [Icon()]
    def GetIcon(self): return self.icons[0]
    def SetIcons(self, icons): self.icons = icons
    def Show(self, show=True): return show
class Dialog(Frame):
    def ShowModal(self): return 5
)py");
    yard.write("app/board.py", R"py(import os, wx
frame = wx.Frame()
print(frame.Show(), [(os.path.basename(icon.given[0]), *icon.given[1:]) for icon in frame.icons])
dialog = wx.Dialog()
dialog.icons = [wx.Icon("own")]
print(dialog.ShowModal(), dialog.icons[0].given)
)py");
    REQUIRE(yard.here("build app --target windows-x86_64 --compress fast --out one").exit_code == 0);
    yard.make_prefix();
    CHECK(yard.wine("one/board.exe").out ==
          "True [('board.exe', 3, 16, 16), ('board.exe', 3, 32, 32)]\n5 ('own',)\nexit 0\n");
}

TEST_CASE("a proof under Wine tells what an application for Windows looked for") {
    if (!has_all()) return;
    Yard yard("proof");
    REQUIRE(yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'").exit_code == 0);
    yard.write("app/main.py", R"py(import os, sys
folder = os.path.dirname(__file__)
open("made.txt", "w").write(sys.stdin.read())
print(os.path.exists(os.path.join(folder, sys.argv[1])), os.environ.get("QUAY"), os.listdir("C:\\"))
try:
    import signals
except ImportError as error:
    print(error)
)py");
    yard.write("app/signals.py", "FLAGS = 2\n");
    yard.write("app/tables/april.csv", "1\n");
    yard.write("input.txt", "twelve\n");
    REQUIRE(yard.build("--out one --without own-files --exclude signals").exit_code == 0);
    ProgramOutput proof =
        yard.here("prove one/main.exe --input input.txt --set QUAY=4 --json -- tables/april.csv");
    INFO(proof.out << proof.err);
    CHECK(proof.exit_code == 1);
    CHECK(has(proof.out, "\"what\": \"app/tables/april.csv\""));
    CHECK(has(proof.out, "\"what\": \"signals\""));
    CHECK(has(proof.out, "main.py:6\""));
    // The source finds both, and writes what is equal.
    ProgramOutput source =
        yard.here("prove one/main.exe --input input.txt --set QUAY=4 --against-source -- tables/april.csv");
    INFO(source.out << source.err);
    CHECK(source.exit_code == 1);
    CHECK(has(source.out, "line 1: \"True 4 ['"));
    CHECK(has(source.out, "\" from source, \"False 4 ['"));
    CHECK_FALSE(has(source.out, "written"));
    // What it makes itself was not missing, and nothing of this machine is there.
    CHECK_FALSE(has(proof.out, "made.txt"));
    yard.write("runs.toml",
               "format = 1\n[[run]]\nname = \"the file\"\narguments = [\"x\"]\ninput = \"twelve\"\n"
               "files = { \"made.txt\" = \"twelve\" }\nallow = [\"*\"]\n");
    CHECK(yard.here("prove one/main.exe --script runs.toml").exit_code == 0);
    yard.write("runs.toml",
               "format = 1\n[[run]]\nname = \"the file\"\narguments = [\"x\"]\ninput = \"eleven\"\n"
               "files = { \"made.txt\" = \"twelve\" }\n");
    ProgramOutput other = yard.here("prove one/main.exe --script runs.toml");
    INFO(other.out << other.err);
    CHECK(other.exit_code == 1);
    CHECK(has(other.out, "line 1: \"twelve\" expected, \"eleven\" built"));

    // What Qt loads of Windows is there.
    yard.write("app/board.py", "import ctypes\nprint(bool(ctypes.CDLL('icuuc')))\n");
    REQUIRE(yard.here("build app/board.py --target windows-x86_64 --compress fast --out two").exit_code == 0);
    CHECK(yard.here("prove two/board.exe").exit_code == 0);
}

TEST_CASE("outputs of several targets stay as they are where nothing changes") {
    if (!has_all()) return;
    Yard yard("several");
    REQUIRE(yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'").exit_code == 0);
    yard.write("app/main.py", "print('A1')\n");
    std::string targets = "--target linux-x86_64 --runtime /usr/bin/python3";
    // What changes while one works is not relied on: the second build is the one that is kept.
    for (int i = 0; i < 2; ++i) REQUIRE(yard.build(targets).exit_code == 0);
    std::string stamps = "stat -c '%i %y' app/out/*/main*";
    std::string before = yard.shell(stamps).out;
    CHECK(std::ranges::count(before, '\n') == 6);
    REQUIRE(yard.build(targets).exit_code == 0);
    CHECK(yard.shell(stamps).out == before);
    yard.write("app/main.py", "print('B2')\n");
    REQUIRE(yard.build(targets).exit_code == 0);
    CHECK(yard.shell("app/out/linux-x86_64/main").out == "B2\n");
}

TEST_CASE("what only Windows has is asked for, fetched and found where it lies") {
    if (!has_all()) return;
    Yard yard("elsewhere");
    REQUIRE(yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'").exit_code == 0);
    yard.write("app/requirements.txt",
               "cranes>=1 ; sys_platform == 'win32'\npoles; sys_platform == 'linux'\n");
    yard.write("app/main.py", R"py(import ctypes, os, site, sys
if sys.platform == "win32":
    import crane_control
    print(crane_control.LIFT, os.path.basename(os.path.dirname(crane_control.__file__)))
    print(ctypes.CDLL(os.path.join(sys.prefix, "Lib", "site-packages", "asks.dll")).lift(), site.USER_BASE is not None)
)py");
    ProgramOutput lacks = yard.build("");
    CHECK(lacks.exit_code == 4);
    CHECK(has(lacks.err, "1 package for windows-x86_64 is missing\n  cranes>=1  (app/requirements.txt)"));

    // Its modules lie in a folder that a path file names, the library that one needs in a folder of data.
    yard.write("lifts.c", "__declspec(dllexport) int lifts(void) { return 12; }\n");
    yard.write(
        "asks.c",
        "__declspec(dllimport) int lifts(void);\n__declspec(dllexport) int lift(void) { return lifts(); }\n");
    yard.write("make.py", R"py(import zipfile
files = {"cranes.pth": "crane_parts\n", "crane_parts/crane_control.py": "LIFT = 12\nUSERS = '/usr/share/base-passwd/passwd.master'\n", "asks.dll": open("asks.dll", "rb").read(),
         "cranes-1.0.data/data/share/cranes/lifts.dll": open("lifts.dll", "rb").read(),
         "cranes-1.0.dist-info/METADATA": "Metadata-Version: 2.1\nName: cranes\nVersion: 1.0\n",
         "cranes-1.0.dist-info/WHEEL": "Wheel-Version: 1.0\nGenerator: hand\nRoot-Is-Purelib: true\nTag: py3-none-any\n"}
with zipfile.ZipFile("wheels/cranes-1.0-py3-none-any.whl", "w") as wheel:
    for name, content in files.items():
        wheel.writestr(name, content)
    wheel.writestr("cranes-1.0.dist-info/RECORD", "".join(name + ",,\n" for name in [*files, "cranes-1.0.dist-info/RECORD"]))
)py");
    if (yard.shell("x86_64-w64-mingw32-gcc -shared -o lifts.dll lifts.c && "
                   "x86_64-w64-mingw32-gcc -shared -o asks.dll asks.c lifts.dll")
            .exit_code != 0) {
        WARN("skipped: there is no compiler for Windows");
        return;
    }
    REQUIRE(yard.shell("mkdir wheels && /usr/bin/python3 make.py").exit_code == 0);
    ProgramOutput fetched = yard.here("packages fetch app/main.py --target windows-x86_64 --from wheels");
    INFO(fetched.err);
    REQUIRE(fetched.exit_code == 0);
    ProgramOutput built = yard.build("--out one");
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    yard.make_prefix();
    CHECK(yard.wine("one/main.exe").out == "12 crane_parts\n12 True\nexit 0\n");
    // A path of a system means that of the target, which does not have it.
    CHECK_FALSE(has(yard.here("inspect one/main.exe --json").out, "passwd.master"));
}

TEST_CASE("a module that is compiled for this machine only stops a build for another") {
    if (!has_all()) return;
    Yard yard("compiled");
    REQUIRE(yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'").exit_code == 0);
    yard.write("app/main.py", "import gauge\nprint(gauge.DEPTH)\n");
    yard.write("app/gauge.c", "int nothing;\n");
    REQUIRE(yard.shell("cc -shared -o app/gauge.so app/gauge.c").exit_code == 0);
    ProgramOutput built = yard.build("");
    CHECK(built.exit_code == 4);
    CHECK(has(built.err,
              "1 compiled module for windows-x86_64 is missing\n  app/main.py:1: gauge is there only for "
              "another runtime"));
    CHECK(has(built.err, "app/gauge.so, as gauge.cp311-win_amd64.pyd"));
    CHECK_FALSE(is_there(yard.path("app/out/windows-x86_64/main.exe")));
    CHECK(yard.build("--exclude gauge").exit_code == 0);
    // A library that code opens may have another beside it for that system.
    yard.write("app/main.py",
               "import ctypes, os, sys\nname = 'depths.dll' if sys.platform == 'win32' else 'depths.so'\n"
               "ctypes.CDLL(os.path.join(os.path.dirname(__file__), name))\n");
    REQUIRE(yard.shell("mv app/gauge.so app/depths.so").exit_code == 0);
    ProgramOutput lacks = yard.build("");
    CHECK(lacks.exit_code == 0);
    CHECK(has(lacks.err, "depths.so is for linux-x86_64, and nothing beside it is for windows-x86_64"));
    if (yard.shell("x86_64-w64-mingw32-gcc -shared -o app/depths.dll app/gauge.c").exit_code == 0)
        CHECK_FALSE(has(yard.build("").err, "nothing beside it"));
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
    yard.shell("cp app/main.py 'app/the board.py'");
    CHECK(has(yard.here("build 'app/the board.py' --target windows-x86_64 --runtime .venv").err,
              "omnistasis packages fetch 'app/the board.py' --target windows-x86_64 --runtime .venv"));
    CHECK(has(lacks.err, "omnistasis packages fetch app/main.py --target windows-x86_64 --runtime .venv"));

    ProgramOutput none =
        yard.here("packages fetch app/main.py --target windows-x86_64 --runtime .venv --from empty");
    CHECK(none.exit_code == 4);
    CHECK_FALSE(is_file(yard.path("app/omnistasis.lock")));
    ProgramOutput unanswered = yard.shell(
        "export OMNISTASIS_RUNTIMES=\"$PWD/stock\" PIP_INDEX_URL=http://127.0.0.1:9 PIP_RETRIES=1; " +
        std::string(test::quoted_program) +
        " packages fetch app/main.py --target windows-x86_64 --runtime .venv");
    CHECK(unanswered.exit_code == 4);
    CHECK(has(unanswered.err, "no answer about wheels for windows-x86_64 of buoys==1.0, flags>=1\n"));
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
    CHECK(yard.here("prove app/out/windows-x86_64/main.exe --against-source").exit_code == 0);

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
    // A zip that is none, and one without a library.
    yard.write("broken/python311.zip", "PK");
    ProgramOutput packed = yard.here("runtimes add broken");
    CHECK(packed.exit_code == 3);
    CHECK(has(packed.err, "python311.zip"));
    yard.shell("cd broken; rm python311.zip; zip -q python311.zip python.exe");
    ProgramOutput empty = yard.here("runtimes add broken");
    CHECK(empty.exit_code == 3);
    CHECK(has(empty.err, "its standard library is not there"));
    yard.write("venv/pyvenv.cfg", "home = C:\\Users\\ana\\Python311\r\nversion = 3.11.9\r\n");
    yard.shell("mkdir venv/Scripts && cp '" OTHER_RUNTIMES
               "'/python-windows-x86_64/python.exe venv/Scripts/");
    ProgramOutput environment = yard.here("runtimes add venv");
    CHECK(environment.exit_code == 3);
    CHECK(
        has(environment.err, "it is a virtual environment of the installation C:\\Users\\ana\\Python311\n"));
    CHECK(yard.here("runtimes list").out.empty());
    // Some keep compiled modules in the library's own folder, and have no library for several versions.
    CHECK(yard.shell("mkdir flat && cp '" OTHER_RUNTIMES
                     "'/python-windows-x86_64/python*.exe flat/ && cp '" OTHER_RUNTIMES
                     "'/python-windows-x86_64/python311.dll '" OTHER_RUNTIMES
                     "'/python-windows-x86_64/vcruntime140*.dll flat/ && "
                     "cp -r '" OTHER_RUNTIMES "'/python-windows-x86_64/Lib flat/lib && cp '" OTHER_RUNTIMES
                     "'/python-windows-x86_64/DLLs/* flat/lib/")
              .err == "");
    ProgramOutput flat = yard.here("runtimes add flat");
    INFO(flat.err);
    REQUIRE(flat.exit_code == 0);
    CHECK(has(flat.err, "it has no python3.dll"));
    yard.write(
        "app/main.py",
        "import socket, sqlite3, ssl\nprint(sqlite3.connect(':memory:').execute('select 7').fetchone())\n");
    REQUIRE(yard.build("--out one").exit_code == 0);
    ProgramOutput proof = yard.here("prove one/main.exe");
    INFO(proof.out);
    CHECK(proof.exit_code == 0);
}

TEST_CASE("on Windows state outlives updates, and what replaces it or is left of a crash goes along") {
    if (!has_all()) return;
    Yard yard("state");
    REQUIRE(yard.here("runtimes add '" OTHER_RUNTIMES "/python-windows-x86_64'").exit_code == 0);
    test::write_logbook(yard, "app/");
    yard.make_prefix();
    auto build = [&](const std::string& options) {
        return yard.here("build app --target windows-x86_64 --compress fast " + options).exit_code;
    };
    REQUIRE(build("--out one") == 0);
    REQUIRE(build("--out two --form folder") == 0);
    CHECK(has(yard.here("inspect one/logbook.exe").out,
              "writes app/logbook.db, which is %LOCALAPPDATA%\\logbook\\logbook.db\n"));
    // From source it writes beside itself, which stays as it was.
    std::string before = yard.shell("ls app app/notes").out;
    ProgramOutput proof = yard.here("prove one/logbook.exe --against-source -- a");
    INFO(proof.out << proof.err);
    CHECK(proof.exit_code == 0);
    CHECK(yard.shell("ls app app/notes").out == before);
    CHECK(yard.wine("one/logbook.exe a").out == "1 1 2\nexit 0\n");
    CHECK(yard.wine("two/logbook/logbook.exe b").out == "2 2 3\nexit 0\n");
    CHECK(yard.wine("one/logbook.exe c").out == "3 3 4\nexit 0\n");
    // What a crash leaves beside the database brings it back, in the next version too.
    CHECK(yard.wine("one/logbook.exe crash").out == "exit 3\n");
    yard.write("app/logbook.py", std::string("# newer\n") + test::logbook);
    REQUIRE(build("--out three") == 0);
    CHECK(yard.wine("three/logbook.exe d").out == "4 4 5\nexit 0\n");
    CHECK(yard.wine("one/logbook.exe e").out == "5 5 6\nexit 0\n");
    CHECK(yard.shell("find prefix/drive_c -name '*.earlier*' -o -name '*.taken' -o -name '*-journal' | wc -l")
              .out == "0\n");
    // A cache that was cleared; the folder lay in it, as Wine knows no junctions.
    const std::string local = "prefix/drive_c/users/*/AppData/Local";
    yard.shell("rm -rf " + local + "/omnistasis");
    CHECK(has(yard.wine("three/logbook.exe f").out, "6 6 "));
    // Folders that others could change are not used.
    yard.shell("rm -rf " + local + "/omnistasis; chmod 777 " + local + "/logbook");
    ProgramOutput refused = yard.wine("three/logbook.exe g");
    CHECK(has(refused.out, "can't keep the application's data in"));
    CHECK(has(refused.out, "others can change it\nexit 121\n"));
    yard.shell("chmod 755 " + local +
               "/logbook; mkdir -p prefix/drive_c/many/omnistasis; chmod 777 prefix/drive_c/many/omnistasis");
    refused = yard.shell("export OMNISTASIS_CACHE='C:\\many' WINEPREFIX=\"$PWD/prefix\" WINEDEBUG=-all; : | "
                         "wine three/logbook.exe g 2>&1 | cat");
    CHECK(has(refused.out, "can't unpack into C:\\many\\omnistasis: other users can change it"));
    CHECK(yard.wine("three/logbook.exe g").out.starts_with("7 7 "));

    // What somebody took out of the tree is put back: where the program does not load, and once a day.
    yard.shell("rm " + local + "/omnistasis/logbook-*/python311.dll");
    CHECK(yard.wine("three/logbook.exe h").out.starts_with("8 8 "));
    yard.shell("rm " + local + "/omnistasis/logbook-*/Lib/encodings/__init__.pyc");
    CHECK(has(yard.wine("three/logbook.exe i").out, "exit 1\n"));
    yard.shell("touch -d '4 days ago' " + local + "/omnistasis/logbook-*/.complete");
    CHECK(yard.wine("three/logbook.exe i").out.starts_with("9 9 "));

    // A tree that is somebody else's is copied, and stays as it is.
    yard.shell("rm -rf two");
    REQUIRE(build("--out two --form folder") == 0);
    yard.shell("chown -R 12345 two/logbook/tree");
    ProgramOutput copied = yard.wine("two/logbook/logbook.exe g");
    INFO(copied.out << copied.err);
    CHECK(copied.out.starts_with("10 10 "));
    CHECK(yard.shell("ls two/logbook/tree/app").out == "logbook.py\n");

    // One that is signed starts with its publisher's signature only.
    yard.shell(
        "openssl genpkey -algorithm ed25519 -out one.key; openssl genpkey -algorithm ed25519 -out other.key");
    REQUIRE(build("--out ours --sign one.key") == 0);
    REQUIRE(build("--out theirs --sign other.key") == 0);
    CHECK(yard.wine("ours/logbook.exe h").out.starts_with("11 11 "));
    std::string ours = read_text(yard.path("ours/logbook.exe")).value();
    std::string theirs = read_text(yard.path("theirs/logbook.exe")).value();
    std::size_t trailer = ours.size() - 112, start = 0;
    for (std::size_t i = 8; i-- > 0;) start = start << 8 | static_cast<unsigned char>(ours[trailer + i]);
    REQUIRE(ours.size() == theirs.size());
    yard.write("mixed.exe", ours.substr(0, start) + theirs.substr(start));
    refused = yard.wine("mixed.exe i");
    CHECK(has(refused.out, "does not have its publisher's signature"));
    CHECK(has(refused.out, "exit 122\n"));
}

TEST_CASE("a runtime whose library lies beside its folders says its version") {
    Yard yard("beside");
    yard.shell("mkdir -p py/bin py/lib/python3.13/lib-dynload; cp /bin/true py/bin/python3.13; "
               "printf 'x\\0003.13.0\\000' > py/libpython3.13.so.1.0");
    yard.write("py/lib/python3.13/os.py", "");
    ProgramOutput added = yard.here("runtimes add py");
    INFO(added.err);
    CHECK(added.exit_code == 0);
    CHECK(has(added.out, "python 3.13.0 for " + host_target()));
}
