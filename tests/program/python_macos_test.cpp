// Python applications for macOS: what is built is looked at, as nothing here runs it.
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

bool has(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

/// A framework as far as its files are looked at, for both processors: the library with the table of built-in
/// modules, the program in bin, the one that can have windows, and a compiled module with a library. All of
/// them name what they load by where the framework lies on a user's machine.
constexpr const char* make_framework = R"sh(set -e
version=$(/usr/bin/python3 -c 'import platform; print(platform.python_version())')
minor=${version%.*}
root=fw/Python.framework/Versions/$minor
named=/Library/Frameworks/Python.framework/Versions/$minor
mkdir -p $root/bin $root/lib $root/Resources/Python.app/Contents/MacOS
cp -r "$(/usr/bin/python3 -c 'import os; print(os.path.dirname(os.__file__))')" $root/lib/python$minor
rm -rf $root/lib/python$minor/lib-dynload $root/lib/python$minor/_sysconfigdata*
mkdir $root/lib/python$minor/lib-dynload
/usr/bin/python3 - "$version" > python.c <<'made'
import sys
names = sorted(sys.builtin_module_names) + ["_ctypes", "_socket", "_ssl", "math", "zlib"]
print('const char version[] = "\\0" "%s"; struct { const char* name; void* start; } modules[] = {' % sys.argv[1])
for name in names:
    print('{"%s", (void*)version},' % name)
print("{0, 0}}; void* PyImport_Inittab = modules;")
made
echo 'extern const char version[]; int main(void) { return version[0]; }' > program.c
echo 'int tide(void) { return 7; }' > tide.c
echo 'int tide(void); int PyInit__berths(void) { return tide(); }' > berths.c
for processor in x86_64 arm64; do
    link() { name=$1; shift; clang -target $processor-apple-macos11 -c $name.c -o $name.o; ld64.lld-14 -arch $processor -platform_version macos 11.0 12.3 -headerpad_max_install_names -o $name.$processor $name.o "$@"; }
    link python -dylib -install_name $named/Python
    link program python.$processor "$1"
    link tide -dylib -install_name $named/lib/libtide.dylib
    link berths -dylib tide.$processor "$1"
done
/usr/bin/python3 - <<'made'
import struct
for name in ("python", "program", "tide", "berths"):
    parts = [open(name + "." + processor, "rb").read() for processor in ("x86_64", "arm64")]
    head, body = struct.pack(">II", 0xCAFEBABE, 2), b""
    for kind, part in zip(((0x01000007, 3), (0x0100000C, 0)), parts):
        body = body.ljust(-len(body) % 16384 + len(body), b"\0")
        head += struct.pack(">IIIII", *kind, 16384 + len(body), len(part), 14)
        body += part
    open(name, "wb").write(head.ljust(16384, b"\0") + body)
made
cp python $root/Python
cp program $root/bin/python$minor
cp program $root/Resources/Python.app/Contents/MacOS/Python
cp tide $root/lib/libtide.dylib
cp berths $root/lib/python$minor/lib-dynload/_berths.cpython-${minor%.*}${minor#*.}-darwin.so
ln -s ../Python $root/lib/libpython$minor.dylib
ln -s $minor fw/Python.framework/Versions/Current
ln -s Versions/Current/Python fw/Python.framework/Python
)sh";

} // namespace

TEST_CASE("a framework of macOS is a runtime for both processors") {
    if (find_on_path("ld64.lld-14").empty() || find_on_path("clang").empty()) {
        WARN("skipped: clang and lld are not installed");
        return;
    }
    Workshop work("framework");
    work.write("make.sh", make_framework);
    ProgramOutput made = work.shell("sh make.sh '" LIB_SYSTEM "'");
    INFO(made.err);
    REQUIRE(made.exit_code == 0);
    auto here = [&](const std::string& arguments) {
        return work.shell("export OMNISTASIS_RUNTIMES=\"$PWD/stock\"; " + std::string(test::quoted_program) +
                          " " + arguments);
    };
    ProgramOutput added = here("runtimes add fw");
    INFO(added.out << added.err);
    REQUIRE(added.exit_code == 0);
    CHECK(has(added.out, " for macos-x86_64 and macos-aarch64, "));
    std::string listed = here("runtimes list").out;
    CHECK(has(listed, " for macos-x86_64, "));
    CHECK(has(listed, " for macos-aarch64, "));
    work.write("app/main.py", "import _berths\nprint(_berths)\n");
    for (const std::string target : {"macos-x86_64", "macos-aarch64"}) {
        ProgramOutput built =
            here("build app/main.py --form folder --compress fast --target " + target + " --out " + target);
        INFO(built.err);
        REQUIRE(built.exit_code == 0);
        CHECK_FALSE(has(built.err, "is not found"));
        ProgramOutput proof = here("prove " + target + "/main.app");
        INFO(proof.out << proof.err);
        CHECK(proof.exit_code == 0);
        // One processor's part of each file, in a tree whose files name each other.
        std::string tree = target + "/main.app/Contents/Resources/tree/";
        CHECK(work.shell("cd " + tree + " && ls Python lib/libtide.dylib bin/main lib/python3*/lib-dynload")
                  .exit_code == 0);
        CHECK(work.shell("grep -c /Library/Frameworks/Python " + tree + "bin/main").out == "0\n");
        CHECK(has(work.shell("file " + tree + "Python").out,
                  target == "macos-x86_64" ? " x86_64 " : " arm64 "));
    }
    // A signed bundle's tree is in its payload, and looked at like one that lies open.
    work.shell("openssl genpkey -algorithm ed25519 -out publisher.key");
    ProgramOutput sealed =
        here("build app/main.py --compress fast --target macos-aarch64 --out sealed --sign "
             "publisher.key");
    INFO(sealed.err);
    REQUIRE(sealed.exit_code == 0);
    ProgramOutput proof = here("prove sealed/main.app.zip");
    INFO(proof.out << proof.err);
    CHECK(proof.exit_code == 0);
    CHECK(
        has(here("inspect sealed/main.app.zip --verify").out, "  signed by the publisher with the public "));
    CHECK(has(here("compare macos-aarch64/main.app sealed/main.app.zip").out, "main "));
    work.shell("cd sealed; unzip -q main.app.zip");
    CHECK(work.shell("cd sealed/main.app/Contents; ls -d Resources/tree").exit_code != 0);
    auto oldest = [&](const std::string& bundle) {
        return work.shell("grep -A1 LSMinimumSystemVersion " + bundle + "/Contents/Info.plist").out;
    };
    CHECK(oldest("sealed/main.app") == oldest("macos-aarch64/main.app"));
    std::string payload = read_text(work.path("sealed/main.app/Contents/Resources/main.payload")).value();
    payload[payload.size() / 2] = static_cast<char>(payload[payload.size() / 2] ^ 1);
    work.write("sealed/main.app/Contents/Resources/main.payload", payload);
    ProgramOutput flipped = here("prove sealed/main.app");
    CHECK(flipped.exit_code == 1);
    CHECK(has(flipped.out, "Contents/Resources/main.payload\n"));
    CHECK_FALSE(has(flipped.out, "for another processor"));
    ProgramOutput delta = here("delta make macos-aarch64/main.app sealed/main.app.zip -o x.delta");
    CHECK(delta.exit_code == 3);
    CHECK(has(delta.err, "there are no deltas for a bundle"));
    ProgramOutput profile = here("profile sealed/main.app.zip");
    CHECK(profile.exit_code == 3);
    CHECK(has(profile.err, "this output can't be started here"));
    // Both are gone with one.
    std::string id = listed.substr(0, listed.find(' '));
    CHECK(here("runtimes remove " + id).exit_code == 0);
    CHECK(here("runtimes list").out.empty());
}
