// Applications in Lua.
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

struct LuaWorkshop : Workshop {
    explicit LuaWorkshop(const std::string& name, const std::string& version = "lua5.4")
        : Workshop("lua " + name, version) {}
};

constexpr const char* board = R"(#!/usr/bin/env lua
local here = arg[0]:match "^(.*)/" or "."
package.path = here .. "/?.lua;" .. package.path
local tides = require "board.tides"
print(tides.name, tides.height(2), ...)
for _, name in ipairs { "one", "two" } do print((require("plug." .. name))) end
for line in io.lines(here .. "/texts/berths.txt") do print(line) end
print((debug.getinfo(tides.height, "S").short_src:match "[^/]*$"), arg[0]:match "[^/]*$", #arg)
print(pcall(require, "nowhere.at.all") == false, package.loaded["board.tides"] == tides)
print(select(2, pcall(tides.fail)):match "tides%.lua:%d+: .*")
os.exit(7)
)";

void write_board(Workshop& work) {
    work.write("main.lua", board);
    work.write("board/tides.lua", "local M = { name = ... }\nfunction M.height(hour) return hour * 2 end\n"
                                  "function M.fail() error 'no water' end\nreturn M\n");
    work.write("plug/one.lua", "return 'plug-in one'");
    work.write("plug/two.lua", "return 'plug-in two: ' .. ...");
    work.write("texts/berths.txt", "north\nsouth\n");
}

} // namespace

TEST_CASE("an application in each version of Lua runs as from source") {
    for (const char* version : {"lua5.4", "lua5.3", "lua5.2", "lua5.1", "luajit"}) {
        if (find_on_path(version).empty()) {
            WARN(version << " is not installed: skipped");
            continue;
        }
        INFO(version);
        LuaWorkshop work(std::string("alike ") + version, version);
        write_board(work);
        std::string printed = work.check_alike("main.lua", {"a b", "--flag"});
        CHECK(printed.find("plug-in two: plug.two") != std::string::npos);
        CHECK(printed.find("tides.lua:3: no water") != std::string::npos);
    }
}

TEST_CASE("the user's variables change nothing in an application in Lua") {
    for (const char* version : {"lua5.4", "lua5.1"}) {
        if (find_on_path(version).empty()) continue;
        INFO(version);
        LuaWorkshop work(std::string("environment ") + version, version);
        work.write("evil.lua", "print 'evil'");
        work.write("lib/elsewhere.lua", "print 'found by a variable'");
        work.write("main.lua", "print((pcall(require, 'elsewhere')))\nio.stdout:flush()\n"
                               "os.execute 'echo \"$LUA_INIT\"'\nprint(os.execute 'exit 3')");
        REQUIRE(
            work.omnistasis({"build", "main.lua", "--runtime", version, "--out", "out", "-q"}).exit_code ==
            0);
        ProgramOutput run = work.shell("LUA_INIT=@evil.lua LUA_PATH=\"$PWD/lib/?.lua\" ./out/main");
        CHECK(run.out.starts_with("false\n@evil.lua\n"));
        CHECK(run.out.find("evil\n") == std::string::npos);
    }
}

TEST_CASE("an application in Lua starts its interpreter for another source") {
    LuaWorkshop work("children");
    work.write("child.lua", "print('child', ..., (require 'part'))");
    work.write("part.lua", "return 'part'");
    work.write(
        "main.lua",
        "local here = arg[0]:match '^(.*)/'\n"
        "local run = function(rest) io.stdout:flush() os.execute(\"'\" .. arg[-1] .. \"' \" .. rest) end\n"
        "run(\"'\" .. here .. \"/child.lua' x\")\nrun(\"-e 'print(1 + 1)'\")\n"
        "run(\"-l part -e 'print(part)'\")\nrun '-v'\nrun '-x'\nrun 'nowhere.lua'");
    REQUIRE(work.omnistasis({"build", "main.lua", "--runtime", "lua5.4", "--out", "out", "-q"}).exit_code ==
            0);
    ProgramOutput run = work.shell("./out/main");
    CHECK(run.out == "child\tx\tpart\n2\npart\nLua 5.4\n");
    CHECK(run.err.find("unrecognized option '-x'") != std::string::npos);
    CHECK(run.err.find("nowhere.lua") != std::string::npos);
}

TEST_CASE("what is wrong with a source in Lua is told with its place") {
    LuaWorkshop work("wrong");
    work.write("syntax.lua", "local x = = 2\n");
    ProgramOutput syntax = work.omnistasis({"build", "syntax.lua", "--runtime", "lua5.4"});
    CHECK(syntax.exit_code == 3);
    CHECK(syntax.err.find("syntax.lua:1") != std::string::npos);
    work.write("gone/main.lua", "require 'no.such.module'\npcall(require, 'may.be.missing')\n");
    ProgramOutput gone = work.omnistasis({"build", "gone/main.lua", "--runtime", "lua5.4", "--out", "out"});
    CHECK(gone.exit_code == 0);
    CHECK(gone.err.find("main.lua:1: no.such.module is not found") != std::string::npos);
    CHECK(gone.err.find("may.be.missing is") == std::string::npos);
    CHECK(work.omnistasis({"build", "gone/main.lua", "--runtime", "lua5.4", "--out", "out", "--strict"})
              .exit_code == 1);
    work.write("compiled/main.lua", "require 'chunk'");
    work.write("compiled/chunk.lua", std::string("\x1BLua\x53\0garbage", 13));
    ProgramOutput chunk =
        work.omnistasis({"build", "compiled/main.lua", "--runtime", "lua5.4", "--out", "out"});
    CHECK(chunk.err.find("it is compiled for Lua 5.3") != std::string::npos);
    ProgramOutput other = work.omnistasis({"build", "gone/main.lua", "--target", "windows-x86_64"});
    CHECK(other.exit_code == 4);
    ProgramOutput no_lua = work.omnistasis({"build", "gone/main.lua", "--runtime", "/bin/true"});
    CHECK(no_lua.err.find("this is not a Lua interpreter") != std::string::npos);
}

TEST_CASE("a rehearsal sees what a computed name requires") {
    LuaWorkshop work("rehearsal");
    work.write("lua_modules/share/lua/5.4/hidden.lua", "return 'hidden'");
    work.write("main.lua", "package.path = arg[0]:match '^(.*)/' .. '/lua_modules/share/lua/5.4/?.lua'\n"
                           "print((require(('nedd' .. 'ih'):reverse())))");
    REQUIRE(work.omnistasis({"rehearse", "main.lua", "--runtime", "lua5.4"}).exit_code == 0);
    ProgramOutput why = work.omnistasis({"why", "hidden", "main.lua", "--runtime", "lua5.4"});
    CHECK(why.out.find("was seen in a rehearsal") != std::string::npos);
    CHECK(work.check_alike("main.lua") == "hidden\n");
}

TEST_CASE("equal sources in Lua give equal outputs wherever they lie") {
    LuaWorkshop here("same"), there("same elsewhere");
    for (LuaWorkshop* work : {&here, &there}) {
        write_board(*work);
        REQUIRE(
            work->omnistasis({"build", "main.lua", "--runtime", "lua5.4", "--out", "out", "-q"}).exit_code ==
            0);
    }
    CHECK(read_text(here.path("out/main")).value() == read_text(there.path("out/main")).value());
}
