// What a watched run noted of its imports.
#include "folder.h"
#include "trace/import_log.h"

using namespace omnistasis;

TEST_CASE("a log of imports is read line by line") {
    test::Folder folder;
    std::string log =
        folder.write("imports", "tide.table\t/port/main.lua\t12\nbell\t\t0\nno line of a log\nlast\tx\t7");
    auto seen = trace::read_import_log(log);
    REQUIRE(seen.size() == 3);
    CHECK(seen[0].name == "tide.table");
    CHECK(seen[0].file == "/port/main.lua");
    CHECK(seen[0].line == 12);
    CHECK(seen[1].file.empty());
    CHECK(seen[2].line == 7);
    CHECK(trace::read_import_log(folder / "none").empty());
}
