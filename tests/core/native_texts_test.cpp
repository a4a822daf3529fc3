// What native files hold as texts, the lists of hosts, and the oldest system that files run on.
#include "folder.h"
#include "native/compiled_paths.h"
#include "native/host_libraries.h"
#include "native/library_weight.h"
#include "native/oldest_system.h"
#include "native/opened_names.h"
#include "report/inspection.h"
#include "support/json.h"
#include "support/json_field.h"
#include "support/near_match.h"
#include "support/output_marker.h"
#include "support/target_info.h"

#include <algorithm>

using namespace omnistasis;
using namespace omnistasis::native;
using test::Folder;

namespace {

using Texts = std::vector<std::string>;

/// Texts as a native file has them, each ended by a zero byte.
std::string with_texts(const Texts& texts) {
    std::string bytes = "\x7f"
                        "ELF";
    for (const std::string& text : texts) bytes += std::string("\0", 1) + text + std::string("\0", 1);
    return bytes;
}

Texts paths_in(const Texts& texts, const std::set<std::string, std::less<>>& folders = {}) {
    std::string bytes = with_texts(texts);
    return compiled_paths(as_bytes(bytes), folders);
}

Result<HostLibraries> hosts(const std::string& text) {
    Folder folder;
    folder.write("hosts/linux-x86_64.toml", text);
    return HostLibraries::read(folder.path(), "linux-x86_64");
}

} // namespace

TEST_CASE("absolute paths of data that are compiled into a file are found, also in lists") {
    CHECK(paths_in({"/usr/share/charts/flags.csv"}) == Texts{"/usr/share/charts/flags.csv"});
    CHECK(paths_in({"/etc/magic:/usr/share/misc/magic"}) == Texts{"/usr/share/misc/magic"});
    CHECK(paths_in({"/usr/lib/charts/", "/usr/libexec/charts-helper"}) ==
          Texts{"/usr/lib/charts", "/usr/libexec/charts-helper"});
    CHECK(paths_in({"/usr/share/charts", "/usr/share/charts"}) == Texts{"/usr/share/charts"});
}

TEST_CASE("folders that all packages share are no paths of one") {
    for (const char* shared : {"/usr/share", "/usr/lib", "/usr/share/locale", "/usr/share/icons",
                               "/usr/share/fonts", "/usr/lib/python3", "/usr/share/locale/de", "/usr/lib/ssl",
                               "/etc/charts", "/home/x", "/usr/bin/env", "usr/share/charts"}) {
        INFO(shared);
        CHECK(paths_in({shared}).empty());
    }
    std::string libraries = "/usr/lib/" + host_info().library_folder;
    CHECK(paths_in({libraries}).empty());
    CHECK(paths_in({libraries + "/charts"}) == Texts{libraries + "/charts"});
    CHECK(paths_in({libraries + "/dri"}).empty());
}

TEST_CASE("a folder of data that a file names alone is found where there is one") {
    CHECK(paths_in({"charts"}, {"charts"}) == Texts{"/usr/share/charts"});
    CHECK(paths_in({"charts"}, {"flags"}).empty());
}

TEST_CASE("names of libraries count where a file can open some") {
    auto names = [](const Texts& texts) {
        std::string bytes = with_texts(texts);
        return opened_names(as_bytes(bytes));
    };
    CHECK(names({"dlopen", "libtide.so.1", "libtide.so", "libquay.so.2.1", "nothing.so.1x"}) ==
          Texts{"libquay.so.2.1", "libtide.so.1"});
    CHECK(names({"libtide.so.1"}).empty());
    CHECK(names({}).empty());
}

TEST_CASE("libraries that nothing has weigh nothing") {
    CHECK(weight_of_new_libraries({}, {}) == 0);
    CHECK(weight_of_new_libraries({"/nowhere/libtide.so.1"}, {"/bin/true"}) == 0);
    CHECK(weight_of_new_libraries({"/bin/true"}, {"/bin/true"}) == 0);
}

TEST_CASE("a list of hosts says what is never shipped, and why") {
    auto host = hosts("format = 1\ndrivers = [\"libGLX_*\"]\n"
                      "[[group]]\nreason = \"the C library\"\nlibraries = [\"libc.so.6\", \"ld-linux-*\"]\n");
    if (!host) FAIL(host.error().what + " " + host.error().where + " " + host.error().why);
    CHECK(host->target() == "linux-x86_64");
    CHECK(host->is_driver("libGLX_halcyon.so.0"));
    CHECK_FALSE(host->is_driver("libGL.so.1"));
    host->move({"libc.so.6"}, {"libtide.so.*"});
    CHECK(host->find("libc.so.6") == nullptr);
    REQUIRE(host->find("libtide.so.1") != nullptr);
    CHECK(host->find("libquay.so.1") == nullptr);
}

TEST_CASE("the installed lists can be read for every target") {
    for (const std::string& target : known_targets()) {
        INFO(target);
        auto host = HostLibraries::read(DATA_FOLDER, target);
        REQUIRE(host);
        CHECK(host->target() == target);
        if (system_of(target) != System::linux) continue;
        CHECK(host->find("libc.so.6") != nullptr);
        CHECK(host->find("libssl.so.3") == nullptr);
        auto systems = known_systems(DATA_FOLDER, target);
        REQUIRE(systems);
        CHECK(std::ranges::is_sorted(*systems, {}, &KnownSystem::version));
    }
    CHECK_FALSE(HostLibraries::read(DATA_FOLDER, "amiga-m68k"));
}

TEST_CASE("a later library of Windows says how old that may be") {
    auto host = HostLibraries::read(DATA_FOLDER, "windows-x86_64");
    REQUIRE(host);
    CHECK(host->find("icu.dll")->since == std::vector<int>{10, 0, 18362});
    CHECK(host->find("kernel32.dll")->since.empty());
    report::Inspection output;
    output.target = "windows-x86_64";
    output.native_files = {{"quay.dll", {"icuuc.dll", "kernel32.dll"}}, {"tide.dll", {"icu.dll"}}};
    PeFile launcher;
    launcher.oldest_major = 10;
    output.oldest.add("the launcher", launcher);
    CHECK(output.oldest.system().name() == "Windows 10");
    CHECK(output.oldest.system().cause() == "the launcher says");
    report::count_host_libraries(output, *host);
    CHECK(output.oldest.system().name() == "Windows 10 1903");
    CHECK(output.oldest.system().cause() == "tide.dll asks for icu.dll");
    report::HostNames names(*host);
    CHECK(report::inspection_json(output, names).find("\"library\": \"icu.dll\"") != std::string::npos);
    OldestSystem sum;
    sum.add(output.oldest);
    CHECK(sum.system().version == std::vector<int>{10, 0, 18362});
}

TEST_CASE("a list of hosts that is wrong is a fault, with its file") {
    for (const char* text : {"format = 1\n[[group]\n", "group = \"x\"\nformat = [", "\xff\xfe"}) {
        auto host = hosts(text);
        REQUIRE_FALSE(host);
        CHECK(host.error().where.find("linux-x86_64.toml") != std::string::npos);
    }
}

TEST_CASE("version texts are as people write them") {
    CHECK(version_text({2, 34}) == "2.34");
    CHECK(version_text({3, 2, 0}) == "3.2.0");
    CHECK(version_text({}).empty());
}

TEST_CASE("a file that needs nothing of the C library sets no bar") {
    OldestSystem none;
    CHECK(none.needs().empty());
    CHECK_FALSE(none.brings_c_library());
    OldestSystem real;
    auto bytes = MappedFile::open("/bin/true");
    REQUIRE(bytes);
    auto elf = read_elf(bytes->bytes(), "/bin/true");
    REQUIRE(elf);
    real.add("true", *elf, bytes->bytes());
    REQUIRE_FALSE(real.needs().empty());
    CHECK(real.needs().front().version.front() == 2);
    none.add(real);
    CHECK(none.needs().size() == real.needs().size());
}

TEST_CASE("near names are those with few slips, nearest first") {
    Texts known{"tideboard", "tidebord", "noticeboard", "craneplan", "lamp"};
    CHECK(near_matches("tidebaord", known).front() == "tideboard");
    CHECK(near_matches("lmap", known) == Texts{"lamp"});
    CHECK(near_matches("zzzzzzzz", known).empty());
    CHECK(near_matches("", known).empty());
    CHECK(near_matches("tideboard", known, 1).size() == 1);
    CHECK(near_matches("x", {}).empty());
}

TEST_CASE("a field of a foreign file has the wanted kind, or is as good as none") {
    Json json =
        parse_json(R"({"text": "a", "number": 5, "part": 0.5, "truth": true, "list": [1], "object": {}})");
    CHECK(field_or(json, "text", "x") == "a");
    CHECK(field_or(json, "number", "x") == "x");
    CHECK(field_or(json, "number", 0) == 5);
    CHECK(field_or(json, "part", 0) == 0);
    CHECK(field_or(json, "part", 0.0) == 0.5);
    CHECK(field_or(json, "number", 0.0) == 5.0);
    CHECK(field_or(json, "truth", false));
    CHECK_FALSE(field_or(json, "text", false));
    CHECK(field_or(json, "list", Json::array()).size() == 1);
    CHECK(field_or(json, "object", Json::array()).empty());
    CHECK(field_or(json, "gone", "x") == "x");
    CHECK(field_or(Json("a text"), "text", "x") == "x");
    CHECK(field_or(Json(), "text", 7) == 7);
}

TEST_CASE("an output folder's marker names what may be replaced") {
    Folder folder;
    CHECK(read_output_marker(folder.path()).empty());
    folder.write(output_marker_name, "tideboard\nnoticeboard\n");
    CHECK(read_output_marker(folder.path()).contains("tideboard"));
    CHECK(read_output_marker(folder.path()).contains("noticeboard"));
    CHECK_FALSE(read_output_marker(folder.path()).contains(""));
}
