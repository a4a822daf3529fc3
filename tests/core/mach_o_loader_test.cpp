// Files for macOS as its loader finds their libraries, changed so that it finds them elsewhere, and signed.
#include "folder.h"
#include "native/foreign_needs.h"
#include "native/loaded_image.h"
#include "native/mach_o_loader.h"
#include "native/mach_signature.h"
#include "native/oldest_system.h"
#include "native/opened_names.h"
#include "support/subprocess.h"

using namespace omnistasis;
using test::Folder;
using Names = std::vector<std::string>;

namespace {

constexpr std::uint32_t arm = 0x0100000C, intel = 0x01000007;

/// A library of a function for a processor, as the tools that are used for launchers make it.
struct Maker {
    Folder folder;

    static bool is_possible() {
        return !find_on_path("ld64.lld-14").empty() && !find_on_path("clang").empty();
    }

    std::string make(const std::string& name, const std::string& processor, const Names& options,
                     const std::string& source = "int quay(void) { return 7; }\n") const {
        folder.write(name + ".c", source);
        auto compiled = run_program({"clang", "-target", processor + "-apple-macos11", "-c",
                                     folder / (name + ".c"), "-o", folder / (name + ".o")});
        REQUIRE(compiled);
        REQUIRE(compiled->exit_code == 0);
        std::vector<std::string> link{"ld64.lld-14",
                                      "-arch",
                                      processor,
                                      "-platform_version",
                                      "macos",
                                      "12.0",
                                      "12.3",
                                      "-dylib",
                                      "-undefined",
                                      "dynamic_lookup",
                                      "-o",
                                      folder / name,
                                      folder / (name + ".o")};
        link.insert(link.end(), options.begin(), options.end());
        auto linked = run_program(link);
        REQUIRE(linked);
        INFO(linked->err);
        REQUIRE(linked->exit_code == 0);
        return folder / name;
    }
};

std::string content(const std::string& file) {
    auto text = read_text(file);
    REQUIRE(text);
    return std::move(*text);
}

native::MachImage image_of(const std::string& bytes) {
    auto file = native::read_mach_o(as_bytes(bytes), "made");
    REQUIRE(file);
    REQUIRE(file->images.size() == 1);
    return file->images.front();
}

Names libraries_of(const std::string& bytes) {
    Names names;
    for (const native::MachLibrary& library : image_of(bytes).libraries) names.push_back(library.name);
    return names;
}

} // namespace

TEST_CASE("where an install name leads") {
    native::MachImage image;
    image.search_paths = {"@loader_path/../lib/", "@executable_path/../Frameworks", "/usr/local/lib",
                          "@rpath/x", "@loader_path"};
    auto paths = [&](const std::string& name, const std::string& program = "bin") {
        return native::loaded_paths(name, image, "site/numpy", program);
    };
    CHECK(paths("/usr/lib/libSystem.B.dylib") == Names{"/usr/lib/libSystem.B.dylib"});
    CHECK(paths("@loader_path/.dylibs/libquay.dylib") == Names{"site/numpy/.dylibs/libquay.dylib"});
    CHECK(paths("@loader_path/../libquay.dylib") == Names{"site/libquay.dylib"});
    CHECK(paths("@executable_path/../lib/libquay.dylib") == Names{"lib/libquay.dylib"});
    CHECK(paths("@executable_path/libquay.dylib", "").empty());
    CHECK(paths("@rpath/Quay.framework/Versions/A/Quay") ==
          Names{"site/lib/Quay.framework/Versions/A/Quay", "Frameworks/Quay.framework/Versions/A/Quay",
                "/usr/local/lib/Quay.framework/Versions/A/Quay",
                "site/numpy/Quay.framework/Versions/A/Quay"});
    image.search_paths.clear();
    CHECK(paths("@rpath/libquay.dylib").empty());
    CHECK(paths("@unknown/libquay.dylib").empty());
}

TEST_CASE("a library's names lead to where its libraries lie in the tree, and it is signed again") {
    if (!Maker::is_possible()) return;
    Maker maker;
    std::string processor = GENERATE(std::string("arm64"), std::string("x86_64"));
    std::uint32_t number = processor == "arm64" ? arm : intel;
    std::string bell =
        maker.make("libbell.dylib", processor, {"-install_name", "/opt/somebody/lib/libbell.dylib"});
    std::string tide = maker.make("libtide.dylib", processor, {"-install_name", "@rpath/libtide.dylib"});
    std::string quay =
        maker.make("libquay.so", processor,
                   {bell, tide, "-rpath", "@loader_path/.dylibs", "-headerpad", "400", "-adhoc_codesign"},
                   "int quay(void) { return 7; }\n");
    std::string before = content(quay);
    CHECK(native::wrong_with_seal(as_bytes(before), {}).empty());

    native::MachPlace place{
        number,
        "lib/quay/libquay.so",
        "bin",
        {{"libbell.dylib", "lib/libbell.dylib"}, {"libtide.dylib", "lib/quay/.dylibs/libtide.dylib"}}};
    auto changed = native::placed_mach_o(as_bytes(before), place, "quay");
    REQUIRE(changed);
    REQUIRE_FALSE(changed->empty());
    // What the loader finds by itself keeps its name.
    CHECK(libraries_of(*changed) == Names{"@loader_path/../libbell.dylib", "@rpath/libtide.dylib"});
    CHECK(native::wrong_with_seal(as_bytes(*changed), {}).empty());
    CHECK(native::placed_mach_o(as_bytes(*changed), place, "quay").value().empty());
    auto other = run_program({"llvm-objdump-14", "--macho", "--dylibs-used", quay});
    REQUIRE(maker.folder.write("changed.dylib", *changed) != "");
    auto reader =
        run_program({"llvm-objdump-14", "--macho", "--dylibs-used", maker.folder / "changed.dylib"});
    REQUIRE(reader);
    CHECK(reader->out.find("@loader_path/../libbell.dylib (") != std::string::npos);
    // The same again gives the same bytes.
    CHECK(native::placed_mach_o(as_bytes(before), place, "quay").value() == *changed);

    // A folder of the system in front of the right one could hold another library.
    std::string risky = content(maker.make("risky.so", processor,
                                           {tide, "-rpath", "/usr/local/lib", "-rpath",
                                            "@loader_path/.dylibs", "-headerpad", "400", "-adhoc_codesign"}));
    auto safe = native::placed_mach_o(as_bytes(risky), place, "risky");
    REQUIRE(safe);
    CHECK(libraries_of(*safe) == Names{"@loader_path/.dylibs/libtide.dylib"});
}

TEST_CASE("a header without room for a longer name is told") {
    if (!Maker::is_possible()) return;
    Maker maker;
    std::string bell = maker.make("libbell.dylib", "arm64", {"-install_name", "/b"});
    std::string quay = maker.make("quay.so", "arm64", {bell, "-headerpad", "0", "-adhoc_codesign"});
    std::string deep(3000, 'x');
    auto changed = native::placed_mach_o(
        as_bytes(content(quay)), {arm, "quay.so", "bin", {{"b", deep + "/libbell.dylib"}}}, "quay.so");
    REQUIRE_FALSE(changed);
    CHECK(changed.error().what == "the file's header has no room for where its libraries are");
    CHECK(changed.error().where == "quay.so");
}

TEST_CASE("a signature fits its file, and a changed file has no fitting one") {
    if (!Maker::is_possible()) return;
    Maker maker;
    std::string unsigned_file = content(maker.make("libquay.dylib", "x86_64", {"-no_adhoc_codesign"}));
    CHECK(native::wrong_with_seal(as_bytes(unsigned_file), {}) == "it has no signature");
    auto sealed = native::with_seal(unsigned_file, {"quay", "the information", "the list"}, "quay");
    REQUIRE(sealed);
    CHECK(native::wrong_with_seal(as_bytes(*sealed), {}).empty());
    CHECK(native::wrong_with_seal(as_bytes(*sealed), {"quay", "the information", "the list"}).empty());
    CHECK(native::wrong_with_seal(as_bytes(*sealed), {"quay", "another", "the list"}) ==
          "its signature is not over Info.plist");
    CHECK(native::wrong_with_seal(as_bytes(*sealed), {"quay", "the information", "another"}) ==
          "its signature is not over the list of the bundle's files");
    CHECK(image_of(*sealed).is_signed);
    // It is signed anew in place of the one that it has.
    auto again = native::with_seal(*sealed, {"quay"}, "quay");
    REQUIRE(again);
    CHECK(native::wrong_with_seal(as_bytes(*again), {}).empty());
    CHECK(native::wrong_with_seal(as_bytes(*again), {"", "", "the list"}) ==
          "its signature is not over the list of the bundle's files");
    std::string flipped = *sealed;
    flipped[4097] ^= 1;
    CHECK(native::wrong_with_seal(as_bytes(flipped), {}) == "the hash of its page 1 is another");
    for (std::size_t size = 0; size < sealed->size(); size += 499)
        CHECK_FALSE(native::wrong_with_seal(as_bytes(sealed->substr(0, size)), {}).empty());
    CHECK_FALSE(native::with_seal("no file of that kind", {"quay"}, "quay"));
}

TEST_CASE("of a universal file the wanted processor's image goes along") {
    if (!Maker::is_possible() || find_on_path("llvm-lipo-14").empty()) return;
    Maker maker;
    std::string one = maker.make("one.dylib", "arm64", {"-adhoc_codesign"});
    std::string two = maker.make("two.dylib", "x86_64", {"-no_adhoc_codesign"});
    auto joined = run_program({"llvm-lipo-14", "-create", one, two, "-output", maker.folder / "both.dylib"});
    REQUIRE(joined);
    REQUIRE(joined->exit_code == 0);
    std::string both = content(maker.folder / "both.dylib");
    CHECK(as_text(native::image_for(as_bytes(both), arm).value()) == content(one));
    CHECK(as_text(native::image_for(as_bytes(both), intel).value()) == content(two));
    CHECK_FALSE(native::image_for(as_bytes(both), 7));
    CHECK(native::image_for(as_bytes(content(one)), arm).value().size() == content(one).size());
    CHECK_FALSE(native::image_for(as_bytes(content(one)), intel));
    for (std::size_t size = 0; size < 200; ++size) (void)native::image_for(as_bytes(both).first(size), arm);
    // One was signed and stays as it is; the other is signed now.
    CHECK(native::placed_mach_o(as_bytes(both), {arm, "lib/x.dylib", "bin", {}}, "both").value() ==
          content(one));
    auto other = native::placed_mach_o(as_bytes(both), {intel, "lib/x.dylib", "bin", {}}, "both");
    REQUIRE(other);
    CHECK(other->size() > content(two).size());
    CHECK(native::wrong_with_seal(as_bytes(*other), {}).empty());
    // A file for another processor goes along as what it is.
    CHECK(native::placed_mach_o(as_bytes(content(two)), {arm, "x", "bin", {}}, "two").value().empty());
}

TEST_CASE("what a file for macOS needs is found where its names lead") {
    if (!Maker::is_possible()) return;
    Maker maker;
    std::string bell =
        maker.make("libbell.dylib", "arm64", {"-install_name", "@loader_path/parts/libbell.dylib"});
    std::string weak = maker.make("libweak.dylib", "arm64", {"-install_name", "/opt/somebody/libweak.dylib"});
    std::string gone = maker.make("libgone.dylib", "arm64", {"-install_name", "/opt/somebody/libgone.dylib"});
    std::string quay = maker.make("quay.so", "arm64", {bell, gone, "-weak_library", weak},
                                  "const char* later = \"libnamed.dylib\";\n");
    fs::create_directories(maker.folder.path() / "parts");
    fs::rename(bell, maker.folder.path() / "parts/libbell.dylib");
    fs::remove(weak);
    fs::remove(gone);
    maker.folder.write("libnamed.dylib", "opened by its name");
    auto host = native::HostLibraries::read(DATA_FOLDER, "macos-aarch64");
    REQUIRE(host);
    auto needs = native::foreign_needs(quay, *host);
    REQUIRE(needs);
    REQUIRE(needs->size() == 4);
    CHECK((*needs)[0].found_file == maker.folder / "parts/libbell.dylib");
    CHECK((*needs)[0].is_exact);
    CHECK((*needs)[1].name == "/opt/somebody/libgone.dylib");
    CHECK((*needs)[1].found_file.empty());
    CHECK_FALSE((*needs)[1].is_weak);
    CHECK((*needs)[2].is_weak);
    CHECK((*needs)[3].found_file == maker.folder / "libnamed.dylib");
    CHECK((*needs)[3].is_weak);
}

TEST_CASE("names of libraries in files for Windows, in both widths of texts") {
    if (std::system("command -v x86_64-w64-mingw32-gcc >/dev/null") != 0) return;
    Folder folder;
    folder.write(
        "quay.c",
        "#include <wchar.h>\nconst char* one = \"tide-1.dll\"; const wchar_t* two = L\"Berth.dll\";\n"
        "const char* three = \"not a name.dll\"; const char* four = \".dll\"; const char* five = "
        "\"x.dllx\";\n");
    std::string command = "x86_64-w64-mingw32-gcc -shared -nostdlib -o '" + folder / "quay.dll" + "' '" +
                          folder / "quay.c" + "' 2>/dev/null";
    REQUIRE(std::system(command.c_str()) == 0);
    Names names = native::opened_names_elsewhere(as_bytes(content(folder / "quay.dll")));
    CHECK(std::ranges::count(names, "tide-1.dll") == 1);
    CHECK(std::ranges::count(names, "Berth.dll") == 1);
    CHECK(std::ranges::count_if(names, [](const std::string& name) { return name.size() < 6; }) == 0);
    CHECK(std::ranges::count(names, "name.dll") == 0);
    // Of those only the ones beside it count, whatever their letters' case.
    folder.write("TIDE-1.DLL");
    auto host = native::HostLibraries::read(DATA_FOLDER, "windows-x86_64");
    REQUIRE(host);
    auto needs = native::foreign_needs(folder / "quay.dll", *host);
    REQUIRE(needs);
    REQUIRE(needs->size() == 1);
    CHECK(needs->front().found_file == folder / "TIDE-1.DLL");
    CHECK(needs->front().is_exact);
}

TEST_CASE("the oldest system of files that say it themselves") {
    native::OldestSystem oldest;
    native::MachFile mach;
    mach.images.resize(2);
    mach.images[0].platform = mach.images[1].platform = "macos";
    mach.images[0].oldest_system = "11.0";
    mach.images[1].oldest_system = "14.7";
    oldest.add("libquay.dylib", mach);
    mach.images[1].platform = "ios";
    mach.images[1].oldest_system = "17.0";
    oldest.add("for phones", mach);
    CHECK(oldest.system().name() == "macOS 14.7");
    CHECK(oldest.system().file == "libquay.dylib");
    native::OldestSystem windows;
    native::PeFile pe;
    for (auto [major, minor, name] : {std::tuple(6, 0, "Windows Vista"),
                                      {6, 1, "Windows 7"},
                                      {6, 3, "Windows 8.1"},
                                      {10, 0, "Windows 10"},
                                      {11, 2, "Windows 11.2"}}) {
        pe.oldest_major = static_cast<std::uint16_t>(major);
        pe.oldest_minor = static_cast<std::uint16_t>(minor);
        windows.add(name, pe);
        CHECK(windows.system().name() == name);
    }
    pe.oldest_major = 4;
    windows.add("an old one", pe);
    CHECK(windows.system().file == "Windows 11.2");
    native::OldestSystem sum;
    CHECK(sum.system().version.empty());
    sum.add(oldest);
    CHECK(sum.system().name() == "macOS 14.7");
}
