// PE and Mach-O files, by files that compilers wrote and by bytes that nobody should believe.
#include "folder.h"
#include "native/mach_o_reader.h"
#include "native/oldest_system.h"
#include "native/opened_names.h"
#include "native/pe_reader.h"
#include "support/subprocess.h"

#include <algorithm>

using namespace omnistasis;

namespace {

ByteSpan bytes_of(const MappedFile& file) { return file.bytes(); }

/// Little-endian numbers put together.
class Maker {
  public:
    Maker& half(std::uint16_t value) { return put(value, 2); }
    Maker& word(std::uint32_t value) { return put(value, 4); }
    Maker& text(std::string_view value, std::size_t width) {
        for (std::size_t i = 0; i < width; ++i)
            bytes.push_back(i < value.size() ? static_cast<std::uint8_t>(value[i]) : 0);
        return *this;
    }
    Bytes bytes;

  private:
    Maker& put(std::uint64_t value, unsigned width) {
        for (unsigned i = 0; i < width; ++i) bytes.push_back(static_cast<std::uint8_t>(value >> (8 * i)));
        return *this;
    }
};

/// A program for macOS on arm64 with two libraries, a search path and a build version.
Bytes mach_o_program() {
    Maker commands;
    commands.word(0xC)
        .word(56)
        .word(24)
        .word(2)
        .word(0x00540302)
        .word(0x00010000)
        .text("/usr/lib/libSystem.B.dylib", 32);
    commands.word(0x80000018)
        .word(48)
        .word(24)
        .word(2)
        .word(0x00010000)
        .word(0x00010000)
        .text("@rpath/libtide.dylib", 24);
    commands.word(0x8000001C).word(40).word(12).text("@loader_path/../lib", 28);
    commands.word(0x32).word(24).word(1).word(0x000B0000).word(0x000E0200).word(0);
    commands.word(0x1D).word(16).word(0).word(0);
    Maker file;
    file.word(0xFEEDFACF)
        .word(0x0100000C)
        .word(0)
        .word(2)
        .word(5)
        .word(static_cast<std::uint32_t>(commands.bytes.size()))
        .word(0)
        .word(0);
    file.bytes.insert(file.bytes.end(), commands.bytes.begin(), commands.bytes.end());
    return file.bytes;
}

} // namespace

TEST_CASE("a program for Windows") {
    test::Folder folder;
    folder.write("quay.c",
                 "#include <windows.h>\nint main(void){ return MessageBoxA(0, \"tide\", \"quay\", 0); }\n");
    folder.write("quay.rc", R"rc(1 VERSIONINFO FILEVERSION 1,4,0,7
BEGIN
  BLOCK "StringFileInfo"
  BEGIN
    BLOCK "040904B0"
    BEGIN
      VALUE "ProductName", "Tideboard"
      VALUE "CompanyName", "Port Halcyon"
    END
  END
END
1 24 "quay.manifest"
)rc");
    folder.write("quay.manifest", "<assembly/>");
    auto built = run_program({"sh", "-c",
                              "cd '" + folder.path().string() +
                                  "' && x86_64-w64-mingw32-windres quay.rc quay.o && "
                                  "x86_64-w64-mingw32-gcc -mwindows -o quay.exe quay.c quay.o && "
                                  "x86_64-w64-mingw32-objdump -p quay.exe"});
    REQUIRE(built);
    INFO(built->err);
    REQUIRE(built->exit_code == 0);
    auto mapped = MappedFile::open(folder / "quay.exe");
    REQUIRE(mapped);
    REQUIRE(native::looks_like_pe(bytes_of(*mapped)));
    auto pe = native::read_pe(bytes_of(*mapped), "quay.exe");
    REQUIRE(pe);
    CHECK(pe->is_64_bit);
    CHECK(pe->machine == 0x8664);
    CHECK(pe->subsystem == 2);
    CHECK_FALSE(pe->is_library);
    CHECK_FALSE(pe->is_signed);
    // objdump is the independent reader: each library that it lists, with as many functions.
    for (const native::PeImport& import : pe->imports) {
        INFO(import.library);
        std::size_t at = built->out.find("DLL Name: " + import.library + "\n");
        REQUIRE(at != std::string::npos);
        std::string_view table = std::string_view(built->out).substr(at);
        table = table.substr(0, table.find("\n\n"));
        for (const native::PeFunction& function : import.functions)
            CHECK(table.find(function.text()) != std::string_view::npos);
        CHECK(std::ranges::count(table, '\n') == static_cast<std::ptrdiff_t>(import.functions.size()) + 1);
    }
    CHECK(std::ranges::find(pe->imports, "USER32.dll", &native::PeImport::library) != pe->imports.end());
    CHECK(pe->version.at("ProductName") == "Tideboard");
    CHECK(pe->version.at("CompanyName") == "Port Halcyon");
    CHECK(pe->version.at("(file)") == "1.4.0.7");
    CHECK(pe->manifest == "<assembly/>");

    std::string content(mapped->text());
    for (std::size_t size = 0; size < 2000; size += 7)
        (void)native::read_pe(as_bytes(content.substr(0, size)), "cut");
    for (std::size_t i = 0; i < 2000; ++i) {
        std::string changed = content;
        changed[i] = static_cast<char>(changed[i] ^ 0xff);
        (void)native::read_pe(as_bytes(changed), "changed");
    }
}

TEST_CASE("a program for macOS, alone and in a universal file") {
    Bytes program = mach_o_program();
    REQUIRE(native::looks_like_mach_o(program));
    auto file = native::read_mach_o(program, "quay");
    REQUIRE(file);
    REQUIRE(file->images.size() == 1);
    const native::MachImage& image = file->images[0];
    CHECK(image.is_64_bit);
    CHECK(image.processor == 0x0100000C);
    CHECK(image.platform == "macos");
    CHECK(image.oldest_system == "11.0");
    CHECK(image.built_for == "14.2");
    CHECK(image.is_signed);
    REQUIRE(image.libraries.size() == 2);
    CHECK(image.libraries[0].name == "/usr/lib/libSystem.B.dylib");
    CHECK(image.libraries[0].current_version == "84.3.2");
    CHECK(image.libraries[1].weak);
    CHECK(image.search_paths == std::vector<std::string>{"@loader_path/../lib"});

    // Big-endian in front: the magic, two architectures, each with type, subtype, offset, size, alignment.
    Maker universal;
    for (std::uint32_t value : {0xCAFEBABEu, 2u, 0x0100000Cu, 0u, 64u, std::uint32_t(program.size()), 0u,
                                0x01000007u, 0u, 64u, std::uint32_t(program.size()), 0u})
        universal.word(__builtin_bswap32(value));
    universal.bytes.resize(64);
    universal.bytes.insert(universal.bytes.end(), program.begin(), program.end());
    auto both = native::read_mach_o(universal.bytes, "both");
    REQUIRE(both);
    CHECK(both->universal);
    CHECK(both->images.size() == 2);
    for (std::size_t size = 0; size < universal.bytes.size(); ++size)
        (void)native::read_mach_o(ByteSpan(universal.bytes).first(size), "cut");
    Bytes longer = program;
    longer[16] = 200; // more commands than there are
    CHECK_FALSE(native::read_mach_o(longer, "longer"));
}

TEST_CASE("an object that another reader reads too") {
    test::Folder folder;
    folder.write("quay.c", "int quay(void){ return 7; }\n");
    auto built = run_program(
        {"clang", "--target=arm64-apple-macos12", "-c", folder / "quay.c", "-o", folder / "quay.o"});
    REQUIRE(built);
    REQUIRE(built->exit_code == 0);
    auto mapped = MappedFile::open(folder / "quay.o");
    auto file = native::read_mach_o(mapped->bytes(), "quay.o");
    REQUIRE(file);
    CHECK(file->images[0].kind == 1);
    CHECK(file->images[0].oldest_system == "12.0");
    auto other = run_program({"llvm-readobj", "--macho-version-min", "--file-headers", folder / "quay.o"});
    REQUIRE(other);
    CHECK(other->out.find("Version: 12.0") != std::string::npos);
}

TEST_CASE("names of libraries that a native file opens by itself") {
    std::string file =
        std::string("\0dlopen\0libtide.so.2\0notlib.so.1\0x/liby.so.1\0libz.so\0libq.so.1.2\0", 66);
    CHECK(native::opened_names(as_bytes(file)) == std::vector<std::string>{"libq.so.1.2", "libtide.so.2"});
    CHECK(native::opened_names(as_bytes(std::string("\0libtide.so.2\0", 14))).empty());
}

TEST_CASE("the oldest system follows from the versions of symbols") {
    native::ElfFile old_one, new_one;
    old_one.version_needs = {
        {"libc.so.6", {{"GLIBC_2.4", false}, {"GLIBC_2.31", false}, {"GLIBC_2.99", true}}}};
    new_one.version_needs = {{"libm.so.6", {{"GLIBC_2.35", false}}},
                             {"libstdc++.so.6", {{"GLIBCXX_3.4.30", false}}}};
    native::OldestSystem oldest;
    oldest.add("old", old_one, {});
    oldest.add("new", new_one, {});
    auto needs = oldest.needs();
    REQUIRE(needs.size() == 2);
    CHECK(needs[0].file == "new");
    CHECK(native::version_text(needs[0].version) == "2.35");
    CHECK(native::version_text(needs[1].version) == "2.31"); // it can do without the weak one
}
