#include "native/closure.h"
#include "native/elf_rewriter.h"
#include "support/subprocess.h"

#include <catch2/catch.hpp>
#include <random>
#include <unistd.h>

using namespace omnistasis;

namespace {

/// A folder of its own for each test, removed at its end.
struct Workshop {
    fs::path folder = fs::temp_directory_path() / ("omnistasis elf test " + std::to_string(::getpid()));
    Workshop() {
        fs::remove_all(folder);
        fs::create_directories(folder);
    }
    ~Workshop() { fs::remove_all(folder); }

    fs::path compile(const std::string& name, const std::string& source, std::vector<std::string> options) {
        fs::path code = folder / (name + ".c");
        REQUIRE(write_atomically(code, source));
        fs::path out = folder / name;
        fs::create_directories(out.parent_path());
        std::vector<std::string> command{"cc", "-o", out.string(), code.string()};
        command.insert(command.end(), options.begin(), options.end());
        auto done = run_program(command);
        REQUIRE(done);
        INFO(done->err);
        REQUIRE(done->exit_code == 0);
        return out;
    }
};

Bytes bytes_of(const fs::path& file) {
    auto mapped = MappedFile::open(file);
    REQUIRE(mapped);
    return {mapped->bytes().begin(), mapped->bytes().end()};
}

} // namespace

TEST_CASE("the reader sees what the linker wrote") {
    Workshop workshop;
    fs::path library = workshop.compile("libbuoy.so.1", "int buoy(void){return 7;}",
                                        {"-shared", "-fPIC", "-Wl,-soname,libbuoy.so.1"});
    fs::path program =
        workshop.compile("pilot", "int buoy(void);int main(void){return buoy();}",
                         {library.string(), "-Wl,-rpath,$ORIGIN/somewhere:/else", "-Wl,--disable-new-dtags"});
    auto elf = native::read_elf(bytes_of(program), "pilot");
    REQUIRE(elf);
    CHECK(elf->needed == std::vector<std::string>{"libbuoy.so.1", "libc.so.6"});
    CHECK(elf->rpath == "$ORIGIN/somewhere:/else");
    CHECK_FALSE(elf->runpath);
    CHECK(elf->interpreter.find("ld-linux") != std::string::npos);
    CHECK(elf->version_needs.size() == 1);
    auto shared = native::read_elf(bytes_of(library), "libbuoy");
    REQUIRE(shared);
    CHECK(shared->soname == "libbuoy.so.1");
}

TEST_CASE("a rewritten program and library run, find each other without a variable, and are rewritten once") {
    Workshop workshop;
    // Zeroed memory behind the data, so that growing the segment has something to get wrong.
    fs::path library = workshop.compile(
        "libbuoy.so.1", "static int zero[5000];int one=1;int buoy(int i){return zero[i]+one+41;}",
        {"-shared", "-fPIC", "-Wl,-soname,libbuoy.so.1"});
    auto kind = GENERATE(std::string("-pie"), std::string("-no-pie"));
    auto strip = GENERATE(std::string("-g"), std::string("-s"));
    CAPTURE(kind, strip);
    fs::path program = workshop.compile(
        "pilot",
        "int buoy(int);static int zero[9000];int main(int c,char**v){(void)v;return buoy(c)+zero[c*8];}",
        {library.string(), kind, strip});
    fs::path tree = workshop.folder / "a tree";
    fs::create_directories(tree / "bin");
    fs::create_directories(tree / "lib");
    auto rewritten = native::with_search_path(bytes_of(program), "$ORIGIN/../lib", "pilot");
    REQUIRE(rewritten);
    REQUIRE(write_new(tree / "bin/pilot", *rewritten, 0755));
    auto shipped = native::with_search_path(bytes_of(library), "$ORIGIN", "libbuoy");
    REQUIRE(shipped);
    REQUIRE(write_new(tree / "lib/libbuoy.so.1", *shipped, 0755));
    fs::remove(library);
    auto run = run_program({(tree / "bin/pilot").string()});
    REQUIRE(run);
    CHECK(run->exit_code == 42);
    CHECK(native::with_search_path(*rewritten, "$ORIGIN/../lib", "pilot").value() == *rewritten);
    auto again = native::with_search_path(*rewritten, "$ORIGIN/../another/lib/far/away", "pilot");
    REQUIRE(again);
    auto elf = native::read_elf(*again, "pilot");
    REQUIRE(elf);
    CHECK(elf->rpath == "$ORIGIN/../another/lib/far/away");
    // Other readers agree.
    auto dump = run_program({"readelf", "-dW", (tree / "bin/pilot").string()});
    REQUIRE(dump);
    CHECK(dump->out.find("Library rpath: [$ORIGIN/../lib]") != std::string::npos);
    CHECK(dump->err.empty());
}

TEST_CASE("the search follows DT_RPATH of the loading files, unless DT_RUNPATH is there") {
    Workshop workshop;
    fs::create_directories(workshop.folder / "deep");
    fs::path inner = workshop.compile("deep/libinner.so", "int inner(void){return 1;}",
                                      {"-shared", "-fPIC", "-Wl,-soname,libinner.so"});
    fs::path outer = workshop.compile("libouter.so", "int inner(void);int outer(void){return inner();}",
                                      {"-shared", "-fPIC", inner.string(), "-Wl,-soname,libouter.so"});
    auto tags = GENERATE(std::string("--disable-new-dtags"), std::string("--enable-new-dtags"));
    fs::path program = workshop.compile(
        "pilot", "int outer(void);int main(void){return outer();}",
        {outer.string(), "-Wl,-rpath,$ORIGIN:$ORIGIN/deep", "-Wl," + tags, "-Wl,--allow-shlib-undefined"});
    native::HostLibraries host(std::vector<native::HostLibraries::Entry>{{"libc.so.6", "the C library"}});
    native::Closure closure(program, host);
    REQUIRE(closure.add(program, "bin/pilot"));
    std::map<std::string, std::string> found;
    for (const auto& need : closure.needs()) found[need.name] = need.found_file;
    CHECK(found["libouter.so"] == outer.string());
    // A program's RUNPATH does not serve its libraries' own needs; the loader agrees.
    bool inherited = tags == "--disable-new-dtags";
    CHECK(found["libinner.so"] == (inherited ? inner.string() : ""));
    CHECK((run_program({program.string()})->exit_code == 1) == inherited);
}

TEST_CASE("hostile bytes are refused, never followed") {
    Bytes good = bytes_of("/proc/self/exe");
    good.resize(8000);
    std::mt19937 random(3);
    for (int round = 0; round < 3000; ++round) {
        Bytes bad = good;
        bad.resize(std::min<std::size_t>(bad.size(), 64 + random() % 6000));
        for (int i = 0; i < 8; ++i) bad[random() % bad.size()] = static_cast<std::uint8_t>(random());
        bad[0] = 0x7F;
        (void)native::read_elf(bad, "bad");
        (void)native::with_search_path(bad, "$ORIGIN", "bad");
    }
    CHECK_FALSE(native::read_elf(Bytes{1, 2, 3}, "short"));
    CHECK(native::LoaderCache::parse(Bytes(100, 0xFF)).find("x").empty());
}
