#include "runtimes/python/requirement.h"

#include <catch2/catch.hpp>

using namespace omnistasis::python;

namespace {

bool holds(const char* marker, const std::set<std::string>& extras = {}) {
    return marker_holds(marker, marker_variables(3, 11, 2, "linux", "x86_64"), extras);
}

} // namespace

TEST_CASE("a requirement is read with its extras and its condition") {
    auto plain = read_requirement(" Tide_Tables (>=2)");
    REQUIRE(plain);
    CHECK(plain->name == "tide-tables");
    CHECK(plain->marker.empty());
    auto full = read_requirement("rope[Nylon, steel] >=1.2 ; python_version < '3.11' and extra == \"all\"");
    REQUIRE(full);
    CHECK(full->name == "rope");
    CHECK(full->extras == std::set<std::string>{"nylon", "steel"});
    CHECK(full->marker == " python_version < '3.11' and extra == \"all\"");
    CHECK_FALSE(read_requirement(""));
    CHECK_FALSE(read_requirement("@ nowhere"));
    CHECK(read_requirement("quay[unclosed")->extras == std::set<std::string>{"unclosed"});
}

TEST_CASE("markers are decided for the interpreter and the system") {
    CHECK(holds(""));
    CHECK(holds("python_version >= '3.9'"));
    CHECK_FALSE(holds("python_version < '3.11'"));
    CHECK(holds("python_version == '3.11'"));
    // As numbers, not as texts.
    CHECK(holds("python_version > '3.9' and python_version < '3.100'"));
    CHECK(holds("python_full_version >= '3.11.2'"));
    CHECK(holds("python_version ~= '3.8'"));
    CHECK_FALSE(holds("python_version ~= '2.7'"));
    CHECK(holds("python_version == '3.*'"));
    CHECK(holds("sys_platform == 'linux' and os_name != 'nt'"));
    CHECK_FALSE(holds("sys_platform == 'win32' or platform_system == 'Darwin'"));
    CHECK(holds("(sys_platform == 'win32' or platform_machine == 'x86_64') and 'lin' in sys_platform"));
    CHECK(holds("'win' not in sys_platform"));
}

TEST_CASE("markers of extras hold only where the extra is asked for") {
    CHECK_FALSE(holds("extra == 'Fast_Tides'"));
    CHECK(holds("extra == 'Fast_Tides'", {"fast-tides"}));
    CHECK_FALSE(holds("python_version > '3' and extra == 'all'"));
}

TEST_CASE("versions of a requirement, in all ways of writing them") {
    auto versions = [](const char* line) { return read_requirement(line)->versions; };
    CHECK(versions("ropes") == "");
    CHECK(versions("ropes>=1.4, <2 ; sys_platform == 'win32'") == ">=1.4,<2");
    CHECK(versions("Ropes[hemp, jute] (>=5.15.2, <6)") == ">=5.15.2,<6");
    CHECK(versions("ropes[hemp]==1.*") == "==1.*");
    CHECK(versions("ropes @ file:///quay/ropes.whl ; python_version > '3'") == "");
    CHECK(versions("ropes /etc/passwd") == "");
    CHECK_FALSE(read_requirement("-r /etc/passwd"));
    CHECK(holds("sys_platform == 'linux' and extra == 'hemp'", {every_extra}));
    CHECK_FALSE(holds("sys_platform == 'win32' and extra == 'hemp'", {every_extra}));
}

TEST_CASE("what can't be read is required") {
    CHECK(holds("moon_phase == 'full'"));
    CHECK(holds("python_version >="));
    CHECK(holds("python_version >= '3"));
    CHECK(holds("(python_version < '3'"));
    CHECK(holds(std::string(5000, '(').c_str()));
}
