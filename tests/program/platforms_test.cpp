// Outputs for other systems, and what makes an output native.
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

constexpr const char* picture = R"(<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 64">
<rect x="8" y="8" width="48" height="48" rx="9" fill="#1f6fa8"/><circle cx="32" cy="32" r="11" fill="#fff"/></svg>)";

struct Board : Workshop {
    explicit Board(const std::string& name) : Workshop("platform " + name, "node") {
        write("art/board.svg", picture);
        write("board.js", R"(
if (process.argv[2] === '--read') return process.stdin.on('data', (piece) => console.log('read ' + piece));
if (process.argv[2] === '--wait') {
  process.on('SIGINT', () => { console.log('interrupted'); process.exit(42); });
  console.log('waiting');
  return setInterval(() => {}, 1000);
}
if (process.argv[2] === '--answer') return process.on('message', (asked) => (process.send(asked * 2), process.disconnect()));
if (process.argv[2] === '--fork') {
  const child = require('child_process').fork(__filename, ['--answer']);
  child.on('message', (answer) => console.log('answer ' + answer));
  return child.send(21);
}
const lines = process.argv.slice(2).map((one) => JSON.stringify(one));
console.log(lines.join('\n'));
process.exitCode = lines.length;
)");
        write("omnistasis.toml", R"([app]
entry = "board.js"
title = "Notice Bürd"
version = "2.1.0"
publisher = "Port Halcyon"
summary = "Notices <of> the \"day\""
identifier = "example.halcyon.board"
icon = "art/board.svg"
[windows]
elevation = "highest"
copyright = "Port Halcyon"
[[windows.language]]
code = "de-DE"
title = "Aushang"
[output]
compress = "fast"
)");
    }
    ProgramOutput here(const std::string& command) {
        return shell("export OMNISTASIS_RUNTIMES=\"$PWD/stock\"; " + command);
    }
    void stock(const std::string& target) {
        ProgramOutput added = here(std::string(omnistasis::test::quoted_program) +
                                   " runtimes add '" OTHER_RUNTIMES "/" + target + "'");
        INFO(added.err);
        REQUIRE(added.exit_code == 0);
    }
    ProgramOutput build(const std::string& options) {
        return here(std::string(omnistasis::test::quoted_program) + " build " + options);
    }
};

bool has(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

} // namespace

TEST_CASE("a program for Windows carries its resources and runs under Wine") {
    Board work("windows");
    ProgramOutput lacks = work.build("--target windows-x86_64");
    CHECK(lacks.exit_code == 4);
    CHECK(has(lacks.err, "runtimes fetch node --target windows-x86_64"));
    work.stock("windows-x86_64");
    REQUIRE(work.build("--target windows-x86_64 --out one").exit_code == 0);
    REQUIRE(work.build("--target windows-x86_64 --out two --form folder --mode window").exit_code == 0);
    work.shell("mkdir icon; wrestool -x -t 14 -n 1 -o icon one/board.exe; cd icon; icotool -x *.ico; " +
               std::string(omnistasis::test::quoted_program) +
               " icon-set ../art/board.svg -o own/ ; cp own/48x48.png .");
    CHECK(work.shell("icotool -l icon/*.ico | wc -l").out == "10\n");
    CHECK(work.shell("python3 -c \"import struct,zlib,sys\ndef rows(f):\n b=open(f,'rb').read();at=8;d=b''\n"
                     " while at<len(b):\n  n,t=struct.unpack('>I4s',b[at:at+8]);d+=b[at+8:at+8+n] if "
                     "t==b'IDAT' else b'';at+=12+n\n"
                     " return len(zlib.decompress(d))\nimport glob\nassert "
                     "rows(glob.glob('icon/*48x48x32.png')[0])==rows('icon/48x48.png')\"")
              .exit_code == 0);
    CHECK(work.shell("wrestool -x --raw -t 24 one/board.exe | grep -c highestAvailable").out == "1\n");
    CHECK(has(work.shell("llvm-readobj --file-headers two/board/board.exe").out,
              "IMAGE_SUBSYSTEM_WINDOWS_GUI"));
    CHECK(has(work.shell("llvm-readobj --file-headers one/board.exe").out, "IMAGE_SUBSYSTEM_WINDOWS_CUI"));
    ProgramOutput inspected = work.omnistasis({"inspect", "one/board.exe", "--verify"});
    INFO(inspected.out << inspected.err);
    CHECK(inspected.exit_code == 0);
    // A path with spaces and letters beyond ASCII: the workshop's own.
    std::string wine = "export WINEPREFIX=\"$PWD/prefix\" WINEDEBUG=-all LC_ALL=C.UTF-8 DISPLAY= "
                       "HOME=\"$PWD\"; unset OMNISTASIS_CACHE;"
                       " wineboot -i >/dev/null 2>&1; wine winecfg -v win10 >/dev/null 2>&1; ";
    std::string arguments =
        R"( 'a b' 'q"uote' 'back\' 'two\\ ' '' 'ü 漢' 'x\"y' > out.txt 2>&1; echo $?; cat out.txt)";
    std::string expected = work.shell("node board.js" + arguments).out;
    CHECK(work.shell(wine + "wine one/board.exe" + arguments).out == expected);
    CHECK(work.shell(wine + "wine two/board/board.exe" + arguments).out == expected);
    // A child gets more than the three streams: the channel to it.
    CHECK(has(work.shell(wine + "wine one/board.exe --fork > forked.txt 2>&1; cat forked.txt").out,
              "answer 42"));
    // What runs is the runtime's program, dressed as the application.
    work.shell(
        "mkdir running; wrestool -x -t 14 -n 1 -o running two/board/tree/bin/board.exe; cd running; icotool "
        "-x *.ico");
    CHECK(work.shell("cmp icon/*48x48x32.png running/*48x48x32.png").exit_code == 0);
    CHECK(work.shell("wrestool -x --raw -t 16 two/board/tree/bin/board.exe | iconv -f UTF-16LE -t UTF-8 -c | "
                     "grep -aq 'Notice Bürd'")
              .exit_code == 0);
    // Input through a pipe of the system's own, and Ctrl-C on a console.
    CHECK(has(
        work.shell(wine + "wine cmd /c 'echo tide| one\\board.exe --read' > piped.txt 2>&1; cat piped.txt")
            .out,
        "read tide"));
    ProgramOutput ended = work.shell(wine + "export TERM=xterm; python3 '" CONSOLE_INTERRUPT
                                            "' waiting wine one/board.exe --wait");
    INFO(ended.out);
    CHECK(has(ended.out, "interrupted"));
    CHECK(ended.exit_code == 42);
    // What the system's own functions say of the version.
    work.write("asks.c", R"(#include <windows.h>
#include <stdio.h>
int main(void) {
    static char block[65536];
    wchar_t *text; UINT size; VS_FIXEDFILEINFO *fixed;
    if (!GetFileVersionInfoW(L"one\\board.exe", 0, sizeof block, block)) return 1;
    VerQueryValueW(block, L"\\", (void **)&fixed, &size);
    printf("%lu.%lu ", fixed->dwFileVersionMS >> 16, fixed->dwFileVersionMS & 0xffff);
    VerQueryValueW(block, L"\\StringFileInfo\\040704b0\\ProductName", (void **)&text, &size);
    printf("%ls ", text);
    VerQueryValueW(block, L"\\StringFileInfo\\040904b0\\CompanyName", (void **)&text, &size);
    printf("%ls\n", text);
    return 0;
}
)");
    REQUIRE(work.shell("x86_64-w64-mingw32-gcc -o asks.exe asks.c -lversion").exit_code == 0);
    CHECK(work.shell(wine + "wine asks.exe > said.txt; tr -d '\\r' < said.txt").out ==
          "2.1 Aushang Port Halcyon\n");
    // A cut-off file is refused.
    work.shell("truncate -s -5 one/board.exe");
    ProgramOutput cut = work.shell(wine + "wine one/board.exe > out.txt 2>&1; echo $?; cat out.txt");
    CHECK(has(cut.out, "122"));
    CHECK(has(cut.out, "cut off or changed"));
    work.shell("export WINEPREFIX=\"$PWD/prefix\"; wineserver -k; wineserver -w");
}

TEST_CASE("what Windows does not take is refused") {
    Board work("windows wrong");
    auto refused = [&](const std::string& from, const std::string& to) {
        work.shell("cp omnistasis.toml kept; sed -i 's/" + from + "/" + to + "/' omnistasis.toml");
        ProgramOutput built =
            work.build("--runtime '" OTHER_RUNTIMES "/windows-x86_64' --target windows-x86_64");
        work.shell("cp kept omnistasis.toml");
        CHECK(built.exit_code == 3);
        return built.err;
    };
    CHECK(has(refused("2[.]1[.]0", "soon"), "`soon` is no version that Windows knows"));
    CHECK(has(refused("de-DE", "de-DD"), "did you mean de-DE"));
    CHECK(has(refused("highest", "root"), "elevation"));
    ProgramOutput device =
        work.build("--runtime '" OTHER_RUNTIMES "/windows-x86_64' --target windows-x86_64 --name con");
    CHECK(device.exit_code == 3);
    CHECK(has(device.err, "`con` can't be a program's name on Windows"));
    CHECK(has(work.build("--target windows").err, "there is no target `windows`"));
    CHECK(has(work.build("--target windows-x86-64").err, "did you mean windows-x86_64"));
}

TEST_CASE("an application bundle for macOS is sealed as its format asks") {
    Board work("macos");
    work.stock("macos-aarch64");
    REQUIRE(work.build("--target macos-aarch64 --out one").exit_code == 0);
    REQUIRE(work.build("--target macos-aarch64 --out two --form folder").exit_code == 0);
    REQUIRE(work.build("--target macos-aarch64 --out three --form folder --mode window").exit_code == 0);
    CHECK(
        work.shell(
                "grep -ac 'OMNISTASIS-WINDOW:'$(printf '\\001') \"$(find three -path '*/MacOS/*' -type f)\"")
            .out == "1\n");
    work.shell("mkdir unzipped; cd unzipped; unzip -q ../one/board.app.zip");
    for (std::string app : {"unzipped/board.app", "two/board.app"}) {
        CHECK(work.shell("diff -r '" + app + "' two/board.app").exit_code == 0);
        ProgramOutput sealed = work.shell("python3 '" SEAL_CHECK "' " + app);
        INFO(sealed.err);
        CHECK(sealed.exit_code == 0);
        CHECK(work.shell("test -x " + app + "/Contents/MacOS/board && test -x " + app +
                         "/Contents/Resources/tree/bin/node")
                  .exit_code == 0);
    }
    CHECK(work.shell("plistutil -i two/board.app/Contents/Info.plist -o p.bin -f bin && python3 -c "
                     "'import plistlib; print(plistlib.load(open(\"p.bin\", \"rb\"))[\"CFBundleName\"])'")
              .out == "Notice B\xC3\xBCrd\n");
    ProgramOutput inspected = work.omnistasis({"inspect", "two/board.app", "--verify"});
    INFO(inspected.out << inspected.err);
    CHECK(inspected.exit_code == 0);
    CHECK(has(inspected.out, "board 2.1.0, console mode"));
    CHECK(has(work.shell("icns2png -l two/board.app/Contents/Resources/board.icns 2>/dev/null").out,
              "'il32' 32x32"));
    CHECK(has(work.shell("llvm-objdump --macho --private-headers two/board.app/Contents/MacOS/board").out,
              "LC_CODE_SIGNATURE"));
}

TEST_CASE("a bundle for macOS is proved by its structure, and a damaged one is not") {
    Board work("structure");
    work.stock("macos-aarch64");
    REQUIRE(work.build("--target macos-aarch64 --out one").exit_code == 0);
    REQUIRE(work.build("--target macos-aarch64 --out two --form folder").exit_code == 0);
    for (const char* output : {"one/board.app.zip", "two/board.app"}) {
        ProgramOutput proof = work.omnistasis({"prove", output});
        INFO(proof.out << proof.err);
        CHECK(proof.exit_code == 0);
        CHECK(has(proof.out,
                  "structure: holds  board\n  by its structure alone: nothing here runs programs of "
                  "that system\n"));
    }
    // A program among a package's data is signed as all others are: without, it would not run.
    work.write("deep/node_modules/depths/package.json", "{\"name\": \"depths\", \"main\": \"index.js\"}");
    work.write("deep/node_modules/depths/index.js",
               "exports.solver = require('path').join(__dirname, 'bin', 'solver');\n");
    work.write("deep/solver.c", "int main(void) { return 3; }\n");
    work.write("deep/omnistasis.toml", "[app]\nentry = \"solve.js\"\n");
    work.write("deep/solve.js", "console.log(require('depths').solver);\n");
    REQUIRE(work.shell("cd deep && mkdir node_modules/depths/bin; clang -target arm64-apple-macos11 -c "
                       "solver.c && ld64.lld-14 "
                       "-arch arm64 -platform_version macos 11.0 12.3 -no_adhoc_codesign -o "
                       "node_modules/depths/bin/solver solver.o '" LIB_SYSTEM "'")
                .exit_code == 0);
    ProgramOutput built = work.build("deep --target macos-aarch64 --compress fast --out four");
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    ProgramOutput solver = work.omnistasis({"prove", "four/solve.app.zip"});
    INFO(solver.out << solver.err);
    CHECK(solver.exit_code == 0);
    CHECK(has(work.shell("unzip -l four/solve.app.zip").out, "node_modules/depths/bin/solver\n"));
    auto damaged = [&](const std::string& command) {
        work.shell("rm -rf three; cp -r two three; cd three/board.app/Contents; " + command);
        ProgramOutput proof =
            work.here(std::string(omnistasis::test::quoted_program) + " prove three/board.app -v");
        CHECK(proof.exit_code == 1);
        return proof.out;
    };
    // A byte of the program, which the list of hashes does not hold: its signature has it.
    CHECK(has(damaged("printf X | dd of=MacOS/board bs=1 seek=9000 conv=notrunc 2>/dev/null"),
              "Contents/MacOS/board\n            the hash of its page 2 is another"));
    std::string runtime =
        damaged("printf X | dd of=Resources/tree/bin/node bs=1 seek=500000 conv=notrunc 2>/dev/null");
    CHECK(has(runtime, "its hashes are not those of the bundle's files"));
    CHECK(has(runtime, "a file of the output is not what was built"));
    CHECK(has(damaged("sed -i 's/<string>board</<string>berth</' Info.plist"),
              "the program that it names is not in Contents/MacOS"));
    CHECK(has(damaged("ln -s /etc/hosts Resources/hosts"), "the link leads out of the bundle"));
    CHECK(has(damaged("rm Resources/board.payload"), "there is no payload for the launcher"));
    CHECK(has(damaged("cp '" + work.path("board.js").string() + "' Resources/; pwd -P > Resources/where"),
              "of this machine"));
    // A library that is neither in it nor the system's.
    CHECK(has(damaged("printf 'int q;' > q.c; clang -target arm64-apple-macos11 -c q.c; "
                      "ld64.lld-14 -arch arm64 -platform_version macos 11.0 12.3 -dylib -o libq.dylib q.o "
                      "-install_name /opt/somebody/libq.dylib; "
                      "ld64.lld-14 -arch arm64 -platform_version macos 11.0 12.3 -dylib -o Resources/r.dylib "
                      "q.o libq.dylib; rm q.* libq.dylib"),
              "    needed  /opt/somebody/libq.dylib\n            Contents/Resources/r.dylib asks for it"));
}

TEST_CASE("a program for Linux on aarch64 runs under emulation") {
    Board work("aarch64");
    work.stock("linux-aarch64");
    REQUIRE(work.build("--target linux-aarch64 --out one").exit_code == 0);
    ProgramOutput proof = work.omnistasis({"prove", "one/board", "--exit-code", "2", "--", "a b", "x"});
    INFO(proof.out << proof.err);
    CHECK(proof.exit_code == 0);
    CHECK(has(proof.out, "  by qemu-aarch64 "));
    CHECK(has(proof.err, "its project is not at hand (there is no Node.js for linux-aarch64): "));
    CHECK(work.here(std::string(omnistasis::test::quoted_program) +
                    " prove one/board --against-source -- 'a b' x")
              .exit_code == 0);
    // The emulator does not follow a change of programs: the launcher unpacks, and what it starts is started
    // here.
    CHECK(work.shell("qemu-aarch64-static one/board").exit_code == 123);
    ProgramOutput run =
        work.shell("cd cache/omnistasis/board-*/ && qemu-aarch64-static -L /usr/aarch64-linux-gnu "
                   "bin/board --require ./start/start.cjs app/board.js 'a b' x");
    INFO(run.err);
    CHECK(run.out == "\"a b\"\n\"x\"\n");
    CHECK(run.exit_code == 2);
}

TEST_CASE("a folder for Linux brings a menu entry that can be added and removed") {
    Board work("menu");
    REQUIRE(work.build("--form folder --mode window --out one").exit_code == 0);
    CHECK(work.shell("desktop-file-validate one/board/share/applications/*.desktop").out.empty());
    ProgramOutput metadata = work.shell("appstreamcli validate --no-net one/board/share/metainfo/*.xml");
    INFO(metadata.out);
    CHECK(metadata.exit_code == 0);
    std::string data = "export XDG_DATA_HOME=\"$PWD/data\"; cp -r one/board \"a \\\"b\\\" \\$c 100%\"; cd "
                       "\"a \\\"b\\\" \\$c 100%\"; ";
    REQUIRE(work.shell(data + "./menu-entry add").exit_code == 0);
    CHECK(work.shell("desktop-file-validate data/applications/*.desktop").out.empty());
    CHECK(has(work.shell("cat data/applications/*.desktop").out, R"(a \\"b\\" \\$c 100%%/board")"));
    CHECK(work.shell("ls data/icons/hicolor/*/apps/*board* | wc -l").out == "11\n");
    CHECK(work.shell(
                  "identify() { file \"$1\"; }; file data/icons/hicolor/48x48/apps/*.png | grep -c '48 x 48'")
              .out == "1\n");
    REQUIRE(work.shell(data + "./menu-entry remove").exit_code == 0);
    CHECK(work.shell("find data -name '*board*'").out.empty());
}

TEST_CASE("runtimes are recognised by their files, and bad archives are refused") {
    Board work("runtimes");
    std::string add = std::string(omnistasis::test::quoted_program) + " runtimes add ";
    work.shell(
        "cp -r '" OTHER_RUNTIMES
        "/linux-aarch64' a; mkdir -p two/x two/y; ln a/bin/node two/x/node; ln a/bin/node two/y/node;"
        "tar -C a -czf good.tgz .; head -c 9000000 good.tgz > cut.tgz; mkdir none; echo text > none/node;"
        "python3 -c \"import "
        "tarfile,io\nt=tarfile.open('climb.tar','w')\ni=tarfile.TarInfo('../../"
        "climbed');i.size=1;t.addfile(i,io.BytesIO(b'x'));t.close()\"");
    ProgramOutput added = work.here(add + "good.tgz");
    INFO(added.err);
    CHECK(has(added.out, "node 20.20.2 for linux-aarch64"));
    CHECK(has(work.here(add + "two").err, "several runtimes were found"));
    CHECK(has(work.here(add + "cut.tgz").err, "can't be unpacked"));
    CHECK(has(work.here(add + "climb.tar").err, "outside of its folder"));
    CHECK(has(work.here(add + "none").err, "no known runtime was found"));
    CHECK(work.here(add + "nowhere").exit_code == 3);
    CHECK(has(work.here(std::string(omnistasis::test::quoted_program) + " targets").out,
              "can be built, with Node.js 20.20.2"));
    CHECK(work.here(std::string(omnistasis::test::quoted_program) + " runtimes remove node-20.20.2-linux")
              .exit_code == 0);
    CHECK(work.here(std::string(omnistasis::test::quoted_program) + " runtimes list").out.empty());
}

TEST_CASE("icons of all kinds from one picture, with a word about bad ones") {
    Board work("icons");
    std::string icon = std::string(omnistasis::test::quoted_program) + " icon-set ";
    REQUIRE(work.shell(icon + "art/board.svg -o a.ico --sheet sheet.png").exit_code == 0);
    REQUIRE(work.shell(icon + "a.ico -o b.icns").exit_code == 0);
    REQUIRE(work.shell(icon + "b.icns -o c/").exit_code == 0);
    CHECK(work.shell("ls c | wc -l; file c/32x32.png").out.starts_with("10\n"));
    ProgramOutput small = work.shell(icon + "c/32x32.png -o d.ico");
    CHECK(has(small.err, "larger than 32 pixels are enlarged"));
    work.write(
        "wide.svg",
        R"(<svg xmlns="http://www.w3.org/2000/svg" width="80" height="20"><rect width="80" height="20"/></svg>)");
    CHECK(has(work.shell(icon + "wide.svg -o e.png").err, "not square (80 x 20)"));
    work.shell("head -c 300 c/256x256.png > broken.png");
    CHECK(work.shell(icon + "broken.png -o f.ico").exit_code == 3);
    CHECK(work.shell(icon + "art/board.svg -o g.bmp").exit_code == 2);
    CHECK(work.shell(icon + "art -o g.ico").exit_code == 3);
}
