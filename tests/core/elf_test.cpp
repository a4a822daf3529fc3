#include "native/closure.h"
#include "native/elf_rewriter.h"
#include "native/elf_stripper.h"
#include "support/subprocess.h"

#include <array>
#include <catch2/catch.hpp>
#include <cstring>
#include <elf.h>
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

/// A library of a header, one loaded segment, a dynamic section and what stands `behind` it. Entries get
/// their values by the offset, which is the address, of that.
Bytes made_library(std::vector<Elf64_Dyn> (*entries)(std::uint64_t behind), const Bytes& behind) {
    constexpr std::uint64_t dynamic_at = sizeof(Elf64_Ehdr) + 2 * sizeof(Elf64_Phdr);
    std::uint64_t dynamic_size = entries(0).size() * sizeof(Elf64_Dyn);
    std::vector<Elf64_Dyn> dynamic = entries(dynamic_at + dynamic_size);
    Bytes bytes(dynamic_at + dynamic_size);
    Elf64_Ehdr header{};
    std::memcpy(header.e_ident, ELFMAG, SELFMAG);
    header.e_ident[EI_CLASS] = ELFCLASS64;
    header.e_ident[EI_DATA] = ELFDATA2LSB;
    header.e_type = ET_DYN;
    header.e_machine = EM_X86_64;
    header.e_phoff = sizeof header;
    header.e_phentsize = sizeof(Elf64_Phdr);
    header.e_phnum = 2;
    std::uint64_t size = bytes.size() + behind.size();
    std::array<Elf64_Phdr, 2> segments{
        Elf64_Phdr{PT_LOAD, PF_R, 0, 0, 0, size, size, 4096},
        {PT_DYNAMIC, PF_R, dynamic_at, dynamic_at, 0, dynamic_size, dynamic_size, 8}};
    std::memcpy(bytes.data(), &header, sizeof header);
    std::memcpy(bytes.data() + sizeof header, segments.data(), sizeof segments);
    std::memcpy(bytes.data() + dynamic_at, dynamic.data(), dynamic_size);
    bytes.insert(bytes.end(), behind.begin(), behind.end());
    return bytes;
}

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

TEST_CASE("files of all linkers run when they are rewritten, whatever room they have") {
    Workshop workshop;
    const std::string source =
        "int buoy(int);static int zero[9];int main(int c,char**v){(void)v;return buoy(c)+zero[c];}";
    auto linker = GENERATE(std::string("bfd"), std::string("gold"), std::string("lld"));
    auto kind = GENERATE(std::string("-pie"), std::string("-no-pie"));
    // No entry to spare; no section headers; so much zeroed memory that the file can't hold it; the old path
    // has the room.
    auto room =
        GENERATE(std::string("none"), std::string("stripped"), std::string("zeroed"), std::string("path"));
    CAPTURE(linker, kind, room);
    std::vector<std::string> options{"-fuse-ld=" + linker};
    if (linker == "bfd" && room == "none") options.push_back("-Wl,--spare-dynamic-tags=0");
    if (room == "path")
        options.insert(options.end(),
                       {"-Wl,-rpath,/somewhere/that/is/long/enough", "-Wl,--enable-new-dtags"});
    auto with = [&](std::vector<std::string> more) {
        more.insert(more.end(), options.begin(), options.end());
        return more;
    };
    fs::path library = workshop.compile(
        "libbuoy.so.1",
        room == "zeroed" ? "static char zero[80<<20];int buoy(int i){return zero[i*4096]+42;}"
                         : "int buoy(int i){return i+41;}",
        with({"-shared", "-fPIC", "-Wl,-soname,libbuoy.so.1"}));
    fs::path program = workshop.compile("pilot", source, with({library.string(), kind}));
    if (room == "stripped")
        for (const fs::path& file : {library, program})
            REQUIRE(run_program({"llvm-strip", "--strip-sections", file.string()})->exit_code == 0);
    auto size_before = fs::file_size(library);
    for (const fs::path& file : {library, program}) {
        auto rewritten = native::with_search_path(bytes_of(file), "$ORIGIN/lib", file.filename());
        REQUIRE(rewritten);
        CHECK(native::with_search_path(bytes_of(file), "$ORIGIN/lib", "again").value() == *rewritten);
        fs::remove(file);
        REQUIRE(write_new(file, *rewritten, 0755));
        auto elf = native::read_elf(*rewritten, "rewritten");
        REQUIRE(elf);
        CHECK(elf->rpath == "$ORIGIN/lib");
        CHECK_FALSE(elf->runpath);
        auto dump = run_program({"readelf", "-lSdW", file.string()});
        CHECK(dump->out.find("Library rpath: [$ORIGIN/lib]") != std::string::npos);
        CHECK(dump->err == (room == "stripped" ? dump->err : ""));
    }
    if (room == "path") CHECK(fs::file_size(library) == size_before);
    CHECK(fs::file_size(library) < size_before + (1u << 20));
    fs::create_directories(workshop.folder / "lib");
    fs::rename(library, workshop.folder / "lib/libbuoy.so.1");
    CHECK(run_program({program.string()})->exit_code == 42);
}

TEST_CASE("files that a program may read its own data out of keep all of it") {
    Workshop workshop;
    fs::path library =
        workshop.compile("libbuoy.so.1", "int buoy(int i){return i+41;}", {"-shared", "-fPIC", "-g"});
    Bytes bytes = bytes_of(library);
    REQUIRE(native::without_debug_symbols(bytes, "plain").value().size() < bytes.size());
    Bytes with_tail = bytes;
    with_tail.insert(with_tail.end(), {'t', 'i', 'd', 'e'});
    CHECK(native::without_debug_symbols(with_tail, "tail").value() == with_tail);
    REQUIRE(write_new(workshop.folder / "table", as_bytes("neap 1.1"), 0644));
    REQUIRE(run_program({"objcopy", "--add-section", "tides=" + (workshop.folder / "table").string(),
                         library.string()})
                ->exit_code == 0);
    Bytes with_section = bytes_of(library);
    CHECK(native::without_debug_symbols(with_section, "section").value() == with_section);
}

TEST_CASE("without debug symbols files run, are smaller, and read well") {
    Workshop workshop;
    auto linker = GENERATE(std::string("bfd"), std::string("gold"), std::string("lld"));
    CAPTURE(linker);
    fs::path library = workshop.compile(
        "libbuoy.so.1", "static int hidden(int i){return i+41;}int buoy(int i){return hidden(i);}",
        {"-shared", "-fPIC", "-g", "-Wl,-soname,libbuoy.so.1", "-fuse-ld=" + linker});
    fs::path program =
        workshop.compile("pilot", "int buoy(int);int main(int c,char**v){(void)v;return buoy(c);}",
                         {library.string(), "-g", "-fuse-ld=" + linker});
    for (const fs::path& file : {library, program}) {
        auto stripped = native::without_debug_symbols(bytes_of(file), file.filename());
        REQUIRE(stripped);
        CHECK(stripped->size() < fs::file_size(file));
        CHECK(native::without_debug_symbols(*stripped, "again").value() == *stripped);
        fs::remove(file);
        REQUIRE(write_new(file, native::with_search_path(*stripped, "$ORIGIN", "pilot").value(), 0755));
        auto dump = run_program({"readelf", "-lSdW", file.string()});
        CHECK(dump->err.empty());
        CHECK(dump->out.find(".debug_info") == std::string::npos);
        CHECK(dump->out.find(".symtab") == std::string::npos);
        CHECK(dump->out.find(".dynsym") != std::string::npos);
    }
    CHECK(run_program({program.string()})->exit_code == 42);
}

TEST_CASE("libraries of other processors are rewritten: 32 bit, and the other byte order") {
    Workshop workshop;
    auto target = GENERATE(std::string("i386-linux-gnu"), std::string("powerpc64-linux-gnu"),
                           std::string("mips-linux-gnu"), std::string("aarch64-linux-gnu"));
    auto path = GENERATE(std::string("$ORIGIN"),
                         std::string("$ORIGIN/a/path/that/is/longer/than/what/was/there/before"));
    CAPTURE(target, path);
    fs::path code = workshop.folder / "buoy.c", library = workshop.folder / "libbuoy.so";
    REQUIRE(write_atomically(code, "int one=1;int zero[100];int buoy(void){return one+zero[3];}"));
    auto made = run_program({"clang", "--target=" + target, "-nostdlib", "-shared", "-fPIC", "-fuse-ld=lld",
                             "-Wl,-soname,libbuoy.so", "-Wl,-rpath,/before/it", "-o", library.string(),
                             code.string()});
    INFO(made->err);
    REQUIRE(made->exit_code == 0);
    auto rewritten = native::with_search_path(bytes_of(library), path, "libbuoy");
    REQUIRE(rewritten);
    fs::remove(library);
    REQUIRE(write_new(library, *rewritten, 0755));
    auto dump = run_program({"llvm-readelf", "-lSd", "--dyn-syms", library.string()});
    INFO(dump->out << dump->err);
    CHECK(dump->out.find("Library rpath: [" + path + "]") != std::string::npos);
    CHECK(dump->out.find("Library soname: [libbuoy.so]") != std::string::npos);
    CHECK(dump->out.find(" buoy") != std::string::npos);
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
    Store none{fs::path()};
    native::Closure closure(program, host, none);
    REQUIRE(closure.add(program, "bin/pilot"));
    std::map<std::string, std::string> found;
    for (const auto& need : closure.needs()) found[need.name] = need.found_file;
    CHECK(found["libouter.so"] == outer.string());
    // A program's RUNPATH does not serve its libraries' own needs; the loader agrees.
    bool inherited = tags == "--disable-new-dtags";
    CHECK(found["libinner.so"] == (inherited ? inner.string() : ""));
    CHECK((run_program({program.string()})->exit_code == 1) == inherited);
}

TEST_CASE("thousands of names that are one long name are refused") {
    auto entries = [](std::uint64_t behind) {
        std::vector<Elf64_Dyn> dynamic(10'000, Elf64_Dyn{DT_NEEDED, {1}});
        dynamic.push_back({DT_STRTAB, {behind}});
        dynamic.push_back({DT_STRSZ, {100'000}});
        return dynamic;
    };
    auto elf = native::read_elf(made_library(entries, Bytes(100'000, 'a')), "libecho.so");
    REQUIRE_FALSE(elf);
    CHECK(elf.error().what == "the file has names that lie over each other");
}

TEST_CASE("of tables of versions that are named again and again the last is read, once") {
    constexpr std::size_t count = 500;
    Bytes records;
    for (std::size_t i = 0; i < count; ++i) {
        Elf64_Verneed need{1, 1, 0, sizeof need, sizeof need + sizeof(Elf64_Vernaux)};
        Elf64_Vernaux version{0, 0, static_cast<Elf64_Half>(i), 0, 0};
        if (i + 1 == count) need.vn_next = 0;
        const auto* start = reinterpret_cast<const std::uint8_t*>(&need);
        records.insert(records.end(), start, start + sizeof need);
        start = reinterpret_cast<const std::uint8_t*>(&version);
        records.insert(records.end(), start, start + sizeof version);
    }
    auto entries = [](std::uint64_t behind) {
        std::vector<Elf64_Dyn> dynamic(1000, Elf64_Dyn{DT_VERNEED, {behind}});
        dynamic.push_back({DT_VERNEED, {behind + 100 * (sizeof(Elf64_Verneed) + sizeof(Elf64_Vernaux))}});
        return dynamic;
    };
    auto elf = native::read_elf(made_library(entries, records), "libecho.so");
    REQUIRE(elf);
    REQUIRE(elf->version_needs.size() == count - 100);
    CHECK(elf->version_needs[0].versions.at(0).number == 100);
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
        (void)native::without_debug_symbols(bad, "bad");
    }
    CHECK_FALSE(native::read_elf(Bytes{1, 2, 3}, "short"));
    CHECK(native::LoaderCache::parse(Bytes(100, 0xFF)).find("x").empty());
}
