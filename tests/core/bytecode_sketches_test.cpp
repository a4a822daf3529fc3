#include "folder.h"
#include "runtimes/python/bytecode_sketches.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Folder;

TEST_CASE("an interpreter that fails is started once for a folder of bytecode") {
    Folder folder;
    folder.write("python", "#!/bin/sh\ncat > /dev/null\nprintf x >> \"$(dirname \"$0\")/starts\"\nexit 1\n");
    fs::permissions(folder / "python", fs::perms::owner_all);
    for (const char* name : {"one.pyc", "two.pyc", "three.pyc"})
        folder.write(std::string("code/") + name, "no bytecode");
    auto store = std::make_shared<Store>(fs::path(folder / "store.sqlite"));
    python::BytecodeSketches sketches(folder / "python", folder / "helpers", store);
    for (const char* name : {"one.pyc", "two.pyc", "three.pyc"})
        CHECK(sketches.of(folder / (std::string("code/") + name)).empty());
    CHECK(read_text(folder / "starts").value() == "x");
    // None of the version: nothing is known.
    CHECK(python::BytecodeSketches("", folder / "helpers", store).of(folder / "code/one.pyc").empty());
}
