// Pointers and texts of a native file, as they are once it is loaded.
#include "folder.h"
#include "native/constant_parts.h"
#include "native/library_index.h"
#include "native/loaded_image.h"

#include <set>

using namespace omnistasis;
using native::LoadedImage;
using test::Folder;

namespace {

constexpr const char* table_source = R"(
extern int first(void), second(void);
int first(void) { return 1; }
int second(void) { return 2; }
struct Entry { const char* name; int (*function)(void); };
static struct Entry entries[] = {{"tide", first}, {"berth", second}, {0, 0}};
EXPORT struct Entry* table = entries;
)";

/// The names in the table of a library that a compiler makes of that.
std::set<std::string> names_with(const std::string& compiler, const std::string& options) {
    Folder folder;
    folder.write("table.c", table_source);
    std::string made = folder / "table.bin";
    std::string command =
        compiler + " -shared -O1 " + options + " -o '" + made + "' '" + folder / "table.c" + "'";
    REQUIRE(std::system(command.c_str()) == 0);
    auto content = MappedFile::open(made);
    REQUIRE(content);
    auto image = LoadedImage::of(content->bytes());
    REQUIRE(image);
    CHECK_FALSE(image->symbol("no such"));
    auto table = image->symbol("table");
    REQUIRE(table);
    std::set<std::string> names;
    for (std::uint64_t i = 0; i < 3; ++i)
        names.emplace(image->text_at(image->pointer_at(image->pointer_at(*table) + 16 * i)));
    CHECK(names.erase("") == 1);
    CHECK_FALSE(native::constant_parts(content->bytes()).empty());
    // Cut off anywhere, it is still read without harm.
    for (std::size_t size = 0; size < content->bytes().size(); size += 511) {
        auto cut = LoadedImage::of(content->bytes().first(size));
        if (cut && cut->symbol("table")) CHECK_NOTHROW(cut->text_at(cut->pointer_at(*cut->symbol("table"))));
    }
    return names;
}

} // namespace

TEST_CASE("a table of names in a library is read for each format that the compilers here make") {
    std::set<std::string> wanted{"tide", "berth"};
    CHECK(names_with("cc", "-fPIC -DEXPORT=") == wanted);
    if (std::system("command -v x86_64-w64-mingw32-gcc >/dev/null") == 0)
        CHECK(names_with("x86_64-w64-mingw32-gcc", "'-DEXPORT=__declspec(dllexport)'") == wanted);
    if (std::system("command -v aarch64-linux-gnu-gcc >/dev/null") == 0)
        CHECK(names_with("aarch64-linux-gnu-gcc", "-fPIC -DEXPORT= -nostdlib") == wanted);
    // Pointers of newer files are chains of what the loader has to do; older ones are as they are.
    auto mach = [](const std::string& processor, const std::string& system) {
        return "sh -c 'f=; for a; do case $a in *.c) c=$a;; *.bin) f=$a;; esac; done; clang -target " +
               processor + "-apple-macos" + system +
               " -DEXPORT= -c \"$c\" -o \"$f.o\" && ld64.lld-14 -arch " + processor +
               " -platform_version macos " + system + " 12.3 -dylib -o \"$f\" \"$f.o\"' x";
    };
    if (std::system("command -v ld64.lld-14 >/dev/null && command -v clang >/dev/null") == 0)
        for (const char* processor : {"arm64", "x86_64"})
            CHECK(names_with(mach(processor, "11.0"), "") == wanted);
    CHECK_FALSE(LoadedImage::of(as_bytes("no native file")));
}

TEST_CASE("a library is the one beside who asks, else of the nearest folder") {
    Folder folder;
    for (const char* file : {"a/one.dll", "a/x/two.dll", "b/Two.DLL", "b/y/asks.pyd", "runtime/one.dll"})
        folder.write(file);
    std::string root = folder.path().string();
    native::LibraryIndex any({root}, true), exact({root}, false);
    CHECK(any.find("ONE.dll", root + "/a") == root + "/a/one.dll");
    CHECK(any.find("two.dll", root + "/b/y") == root + "/b/Two.DLL");
    CHECK(exact.find("two.dll", root + "/b/y") == root + "/a/x/two.dll");
    CHECK(any.find("asks.pyd", root).empty());
    CHECK(any.find("none.dll", root).empty());
    CHECK(any.all("one.DLL") == std::vector<std::string>{root + "/a/one.dll", root + "/runtime/one.dll"});
    CHECK(any.all("none.dll").empty());
}
