// What the model of the dynamic loader says, against what the loader itself does.
#include "folder.h"
#include "native/closure.h"
#include "native/loader_model.h"
#include "support/subprocess.h"
#include "support/witness.h"

#include <map>

using namespace omnistasis;

namespace {

/// Names and paths as the loader lists them; of a name that is a path, the path alone.
std::map<std::string, std::string> listed(const std::string& file) {
    auto done = run_program({"env", "LD_TRACE_LOADED_OBJECTS=1", "/lib64/ld-linux-x86-64.so.2", file});
    REQUIRE(done);
    std::map<std::string, std::string> found;
    for (std::size_t start = 0; start < done->out.size();) {
        std::size_t end = std::min(done->out.find('\n', start), done->out.size());
        std::string line = done->out.substr(start, end - start);
        start = end + 1;
        std::size_t arrow = line.find(" => ");
        if (arrow == std::string::npos) continue;
        std::string path = line.substr(arrow + 4);
        if (std::size_t address = path.find(" (0x"); address != std::string::npos) path.resize(address);
        found[line.substr(1, arrow - 1)] = path;
    }
    return found;
}

std::map<std::string, std::string> modelled(const std::string& file) {
    native::LoaderModel loader;
    native::LoadedProcess process = loader.load(file);
    std::map<std::string, std::string> found;
    for (std::size_t i = 1; i < process.objects.size(); ++i)
        if (!process.objects[i].name.starts_with("ld-linux") &&
            process.objects[i].name.find('/') == std::string::npos)
            found[std::string(process.objects[i].name)] = process.objects[i].path;
    for (const native::NotFound& missing : process.not_found) found[std::string(missing.name)] = "not found";
    // What each need leads to says the same.
    std::size_t nowhere = 0;
    for (const native::LoadedObject& object : process.objects)
        for (std::size_t i = 0; i < object.elf->needed.size(); ++i) {
            std::uint32_t to = process.found.at(object.first_need + i);
            nowhere += to == process.nowhere ? 1 : 0;
            CHECK((to == process.nowhere || to < process.objects.size()));
        }
    CHECK(nowhere == process.not_found.size());
    return found;
}

/// Compiles shared libraries and programs into a folder with a space in its name.
struct Yard {
    test::Folder folder;

    std::string library(const std::string& place, const std::string& soname,
                        const std::string& options = {}) {
        return compile(place, "-shared -fPIC -Wl,-soname," + soname + " " + options,
                       "int f_" + std::to_string(++count_) + "(void){return 1;}");
    }
    std::string program(const std::string& place, const std::string& options) {
        return compile(place, "-Wl,--no-as-needed " + options, "int main(void){return 0;}");
    }

  private:
    std::string compile(const std::string& place, const std::string& options, const std::string& source) {
        folder.write("code.c", source);
        fs::create_directories(fs::path(folder / place).parent_path());
        auto done = run_program(
            {"sh", "-c", "cd '" + folder.path().string() + "' && cc -o '" + place + "' code.c " + options});
        REQUIRE(done);
        INFO(done->err);
        REQUIRE(done->exit_code == 0);
        return folder / place;
    }
    int count_ = 0;
};

void check(const std::string& file) {
    INFO(file);
    CHECK(modelled(file) == listed(file));
}

} // namespace

TEST_CASE("search paths: DT_RPATH against DT_RUNPATH, $ORIGIN, what is inherited") {
    Yard yard;
    yard.library("a/libtide.so.1", "libtide.so.1");
    yard.library("b/libtide.so.1", "libtide.so.1");
    yard.library("c/libquay.so.1", "libquay.so.1", "-Wl,--no-as-needed a/libtide.so.1");
    yard.library("c/libpier.so.1", "libpier.so.1",
                 "-Wl,--no-as-needed a/libtide.so.1 -Wl,--enable-new-dtags,-rpath,'$ORIGIN/../b'");
    const std::string quay = " c/libquay.so.1 -Wl,-rpath-link,a", pier = " c/libpier.so.1 -Wl,-rpath-link,a";
    check(yard.program("rpath", "-Wl,--disable-new-dtags,-rpath,'$ORIGIN/a:$ORIGIN/c'" + quay));
    check(yard.program("runpath", "-Wl,--enable-new-dtags,-rpath,'${ORIGIN}/a:${ORIGIN}/c'" +
                                      quay)); // not inherited: tide is not found
    check(yard.program("own runpath wins", "-Wl,--disable-new-dtags,-rpath,'$ORIGIN/a:$ORIGIN/c'" + pier));
    check(yard.program("nothing", "c/libquay.so.1 -Wl,-rpath-link,a"));
    CHECK(modelled(yard.folder / "runpath").at("libtide.so.1") == "not found");
}

TEST_CASE("a program that is reached over a link looks where it really is") {
    Yard yard;
    yard.library("deep/lib/libtide.so.1", "libtide.so.1");
    std::string really = yard.program("deep/board", "deep/lib/libtide.so.1 -Wl,-rpath,'$ORIGIN/lib'");
    fs::create_symlink("deep/board", yard.folder / "board");
    CHECK(listed(really).at("libtide.so.1") != "not found");
    CHECK(modelled(yard.folder / "board") == listed(really));
}

TEST_CASE("libraries that stand in for others name them") {
    Yard yard;
    std::string file =
        yard.library("libquay.so.1", "libquay.so.1", "-Wl,-F,libtide.so.1 -Wl,-f,libbuoy.so.1");
    auto bytes = MappedFile::open(file);
    REQUIRE(bytes);
    auto elf = native::read_elf(bytes->bytes(), file);
    REQUIRE(elf);
    CHECK(std::ranges::find(elf->needed, "libtide.so.1") != elf->needed.end());
    CHECK(elf->auxiliary == std::vector<std::string>{"libbuoy.so.1"});
}

TEST_CASE("names: one library for a name, first come first served, links, paths as names") {
    Yard yard;
    yard.library("one/libtide.so.1", "libtide.so.1");
    yard.library("two/libother.so.1", "libtide.so.1");
    yard.library("three/libbuoy.so.1", "libbuoy.so.1");
    fs::create_symlink("libbuoy.so.1", yard.folder / "three/libanchor.so.1");
    const std::string paths = "-Wl,--disable-new-dtags,-rpath,'$ORIGIN/one:$ORIGIN/two:$ORIGIN/three' ";
    check(yard.program("same soname", paths + "one/libtide.so.1 two/libother.so.1"));
    check(yard.program("links", paths + "three/libanchor.so.1 three/libbuoy.so.1"));
    // Without a SONAME the path that it was linked by is what is asked for.
    yard.folder.write("code.c", "int g(void){return 2;}");
    REQUIRE(run_program({"sh", "-c",
                         "cd '" + yard.folder.path().string() + "' && cc -shared -fPIC -o plain.so code.c"})
                ->exit_code == 0);
    check(
        yard.program("by path", "./plain.so one/libtide.so.1 -Wl,--disable-new-dtags,-rpath,'$ORIGIN/one'"));
}

TEST_CASE("other linkers, folders for the processor, files for another machine, what is no library") {
    Yard yard;
    yard.library("lib/libtide.so.1", "libtide.so.1");
    for (const char* level : {"x86-64-v2", "x86-64-v3", "x86-64-v4"})
        yard.library(std::string("lib/glibc-hwcaps/") + level + "/libtide.so.1", "libtide.so.1");
    for (const char* linker : {"bfd", "gold", "lld"})
        check(yard.program(linker,
                           std::string("-fuse-ld=") + linker + " lib/libtide.so.1 -Wl,-rpath,'$ORIGIN/lib'"));
    check(yard.program("fixed", "-no-pie lib/libtide.so.1 -Wl,-rpath,'$ORIGIN/lib'"));
    // One for another machine is passed over: here its header says so.
    std::string foreign = yard.library("first/libbuoy.so.1", "libbuoy.so.1");
    yard.library("second/libbuoy.so.1", "libbuoy.so.1");
    std::string program =
        yard.program("foreign", "first/libbuoy.so.1 -Wl,-rpath,'$ORIGIN/first:$ORIGIN/second'");
    std::string bytes = *read_text(foreign);
    bytes[18] = static_cast<char>(183); // EM_AARCH64
    REQUIRE(write_atomically(foreign, bytes));
    check(program);
    CHECK(modelled(program).at("libbuoy.so.1").find("/second/") != std::string::npos);
    // A text in its place stops the loader.
    REQUIRE(write_atomically(foreign, "this is no library, though it is long enough to be looked at\n"));
    CHECK_FALSE(native::LoaderModel().load(program).error.empty());
    CHECK(run_program({"/lib64/ld-linux-x86-64.so.2", "--list", program})->exit_code != 0);
}

TEST_CASE("versions of symbols that a library does not have are told") {
    Yard yard;
    yard.folder.write("v1.map", "TIDE_1 { global: *; };\n");
    yard.folder.write("v2.map", "TIDE_2 { global: *; };\n");
    yard.folder.write("lib.c", "int tide(void){return 1;}");
    yard.folder.write("use.c", "int tide(void);int main(void){return tide();}");
    auto build = [&](const char* map) {
        auto done =
            run_program({"sh", "-c",
                         "cd '" + yard.folder.path().string() +
                             "' && cc -shared -fPIC -Wl,-soname,libtide.so.1 -Wl,--version-script=" + map +
                             " -o libtide.so.1 lib.c"});
        REQUIRE(done->exit_code == 0);
    };
    build("v1.map");
    REQUIRE(run_program({"sh", "-c",
                         "cd '" + yard.folder.path().string() +
                             "' && cc -o use use.c ./libtide.so.1 -Wl,-rpath,'$ORIGIN'"})
                ->exit_code == 0);
    CHECK(native::LoaderModel().load(yard.folder / "use").mismatches.empty());
    build("v2.map");
    auto process = native::LoaderModel().load(yard.folder / "use");
    REQUIRE(process.mismatches.size() == 1);
    CHECK(process.mismatches[0].version == "TIDE_1");
    // What would be shipped is no better.
    native::HostLibraries host(std::vector<native::HostLibraries::Entry>{{"libc.so.6", "the C library"}});
    Store none{fs::path()};
    native::Closure closure(yard.folder / "use", host, none);
    REQUIRE(closure.add(yard.folder / "use", "bin/use"));
    REQUIRE(closure.unfit().size() == 1);
    CHECK(closure.unfit()[0].versions == std::vector<std::string>{"TIDE_1"});
}

TEST_CASE("programs that another loader starts are told, those of this system's are not") {
    Yard yard;
    yard.program("usual", "");
    yard.program("other", "-Wl,--dynamic-linker=/lib/ld-elsewhere.so.1");
    native::HostLibraries host({});
    Store none{fs::path()};
    native::Closure closure(yard.folder / "usual", host, none);
    REQUIRE(closure.add(yard.folder / "usual", "bin/usual"));
    CHECK(closure.other_loaders().empty());
    REQUIRE(closure.add(yard.folder / "other", "bin/other"));
    REQUIRE(closure.other_loaders().size() == 1);
    CHECK(closure.other_loaders()[0].file == fs::canonical(yard.folder / "other"));
    CHECK(closure.other_loaders()[0].loader == "/lib/ld-elsewhere.so.1");
}

TEST_CASE("an auxiliary library goes along where it is there, and is no loss where it is not") {
    Yard yard;
    yard.library("libbuoy.so.1", "libbuoy.so.1");
    yard.library("libquay.so.1", "libquay.so.1",
                 "-Wl,-f,libbuoy.so.1 -Wl,-f,libnowhere.so.1 -Wl,-rpath,'$ORIGIN'");
    yard.program("use", "-Wl,--no-as-needed libquay.so.1 -Wl,-rpath,'$ORIGIN'");
    native::HostLibraries host({});
    Store none{fs::path()};
    native::Closure closure(yard.folder / "use", host, none);
    REQUIRE(closure.add(yard.folder / "use", "bin/use"));
    auto ships = [&](const std::string& name) {
        return std::ranges::find(closure.libraries(), name, &native::ShippedLibrary::name) !=
               closure.libraries().end();
    };
    CHECK(ships("libquay.so.1"));
    CHECK(ships("libbuoy.so.1"));
    CHECK(std::ranges::none_of(
        closure.needs(), [](const native::LibraryNeed& need) { return need.name == "libnowhere.so.1"; }));
}

TEST_CASE("a witness sees where the loader's model looked in vain") {
    Yard yard;
    yard.library("second/libtide.so.1", "libtide.so.1");
    std::string program =
        yard.program("use", "second/libtide.so.1 -Wl,-rpath,'$ORIGIN/first:$ORIGIN/second'");
    fs::create_directories(yard.folder / "first");
    // Until the files are old enough for a change to show.
    auto testimony = [&] {
        for (;;) {
            Witness witness;
            CHECK(native::LoaderModel().load(program).not_found.empty());
            if (auto seen = witness.testimony()) return *seen;
        }
    };
    std::string without_file = testimony();
    CHECK(Witness::changes_since(without_file)->empty());
    yard.folder.write("first/libtide.so.1", *read_text(yard.folder / "second/libtide.so.1"));
    CHECK_FALSE(Witness::changes_since(without_file)->empty());
    fs::remove_all(yard.folder / "first");
    std::string without_folder = testimony();
    CHECK(Witness::changes_since(without_folder)->empty());
    fs::create_directories(yard.folder / "first");
    CHECK_FALSE(Witness::changes_since(without_folder)->empty());
}
