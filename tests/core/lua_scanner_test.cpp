// Sources in Lua: tokens, what constants show, what a source asks for.
#include "runtimes/lua/lexer.h"
#include "runtimes/lua/rocks.h"
#include "runtimes/lua/scanner.h"

#include <algorithm>
#include <catch2/catch.hpp>

using namespace omnistasis::lua;
using Words = std::vector<std::string>;

namespace {

Words words(std::string_view source) {
    Words all;
    for (const Token& token : tokens_of(source)) all.push_back(token.text);
    return all;
}

Words texts(const std::vector<TextAt>& list) {
    Words all;
    for (const TextAt& one : list) all.push_back(one.text);
    return all;
}

/// The names of the modules that a source requires, with stars for what is not known; "?" behind guarded
/// ones.
Words required(std::string_view source, const std::string& module = "") {
    Words all;
    for (const Request& one : scan(source, module).modules) {
        std::string name = one.name + (one.is_guarded ? "?" : "");
        std::ranges::replace(name, unknown, '*');
        all.push_back(name);
    }
    return all;
}

std::string marked(std::string text) {
    std::ranges::replace(text, own_folder, 'O');
    std::ranges::replace(text, entry_folder, 'E');
    std::ranges::replace(text, path_before, 'P');
    std::ranges::replace(text, unknown, '*');
    return text;
}

} // namespace

TEST_CASE("Lua's strings in all their forms") {
    CHECK(words(R"('a' "b\"c" 'd\tx' "\65\066\x43" "\u{48}\u{E9}")") ==
          Words{"a", "b\"c", "d\tx", "ABC", "H\xC3\xA9"});
    CHECK(words("[[two\nlines]] [==[ ]] ]==] [[\nfirst break does not count]]") ==
          Words{"two\nlines", " ]] ", "first break does not count"});
    CHECK(words("'a\\z   \n   b' 'open\nx") == Words{"ab", "open", "x"});
}

TEST_CASE("comments and a first line with # give no tokens") {
    CHECK(words("#!/usr/bin/lua\nx -- y\n--[[ z\nw ]] v --[==[ ]] ]==] u") == Words{"x", "v", "u"});
    CHECK(words("--[[ without an end\nx") == Words{});
    CHECK(words("\xEF\xBB\xBFx") == Words{"x"});
}

TEST_CASE("numbers and signs of Lua") {
    CHECK(words("1..2") == Words{"1", "..", "2"}); // no Lua, and no reason to stop
    CHECK(words("0x1p-3+3e+2 a...b c..d") == Words{"0x1p-3", "+", "3e+2", "a", "...", "b", "c", "..", "d"});
    CHECK(words("a~=b//c::d::") == Words{"a", "~=", "b", "//", "c", "::", "d", "::"});
}

TEST_CASE("lines are counted through strings and comments") {
    auto tokens = tokens_of("a\n--[[\n\n]] b [[\n\n]]\nc 'x\\\ny' d");
    std::vector<std::uint32_t> lines;
    for (const Token& token : tokens) lines.push_back(token.line);
    CHECK(lines == std::vector<std::uint32_t>{1, 4, 4, 7, 7, 8});
}

TEST_CASE("any bytes are lexed to their end") {
    std::string bytes;
    for (int i = 0; i < 2000; ++i) bytes += static_cast<char>(i * 37 % 256);
    CHECK(!tokens_of(bytes).empty());
    (void)scan(bytes, "m");
    (void)scan(std::string(100'000, '('), "m");
    (void)scan("x = " + std::string(100'000, '{'), "m");
}

TEST_CASE("require in the ways that people write it") {
    CHECK(required("require 'a'; require(\"b.c\"); local x = require [[d]]") == Words{"a", "b.c", "d"});
    CHECK(required("local ok, m = pcall(require, 'a')\nxpcall(require, print, 'b')") == Words{"a?", "b?"});
    CHECK(required("pcall(function() return require 'a' end) require 'b'") == Words{"a?", "b"});
    CHECK(required("if jit then require 'ffi' else require 'posix' end require 'z'") ==
          Words{"ffi?", "posix?", "z"});
    CHECK(required("_G.pcall(_G.require, 'lfs')") == Words{"lfs?"});
    CHECK(required("local import = require\nimport 'a'") == Words{"a?"});
    CHECK(required("for _, n in ipairs{1} do require 'a' end while x do require 'b' end") == Words{"a", "b"});
    CHECK(required("object.require 'x' -- somebody's own\n'require' .. 'y'") == Words{"x?"});
}

TEST_CASE("names of modules that are computed out of constants") {
    CHECK(required("local base = 'tide.'\nrequire(base .. 'table')") == Words{"tide.table"});
    CHECK(required("require('plug.' .. name)") == Words{"plug.*"});
    CHECK(required("require(('plug.%s.main'):format(name))") == Words{"plug.*.main"});
    CHECK(required("require(string.format('%s.%s', 'tide', 'lamp'))") == Words{"tide.lamp"});
    CHECK(required("for _, n in ipairs { 'a', 'b' } do require('p.' .. n) end") == Words{"p.a", "p.b"});
    CHECK(required("local t = { x = 'q', 'r' }\nfor k, v in pairs(t) do require(k) require(v) end") ==
          Words{"x", "q", "r"});
    CHECK(required("require((...) .. '.part')", "tide.table") == Words{"tide.table.part"});
    CHECK(required("local here = (...):match '(.-)[^%.]+$'\nrequire(here .. 'lamp')", "tide.table") ==
          Words{"tidelamp", "tide.lamp", "tide.tablelamp"});
    CHECK(scan("require(name)", "").unknown_module == 1);
    CHECK(scan("require('a' .. name)", "").unknown_module == 0);
}

TEST_CASE("what is made of the folder of a source") {
    auto paths = [](std::string_view source) {
        Words all;
        for (const TextAt& one : scan(source, "").paths) all.push_back(marked(one.text));
        return all;
    };
    CHECK(paths("local here = arg[0]:match '(.*/)'\nio.open(here .. 'data/a.txt')") == Words{"E/data/a.txt"});
    CHECK(paths("local p = debug.getinfo(1, 'S').source:sub(2):match '(.*)/'\ndofile(p .. '/b.lua')") ==
          Words{"O//b.lua", "O/b.lua"});
    CHECK(paths("local info = debug.getinfo(1)\nload(dirname(info.source) .. '/c.lua')") ==
          Words{"O//c.lua", "O/c.lua"});
    CHECK(paths("open(name .. '/x')") == Words{});
    auto opened = scan("local h = arg[0]:match '(.*/)' or './'\nio.open(h .. 'a')\nio.open 'b.txt'\n"
                       "io.open('c', 'w')",
                       "");
    CHECK(texts(opened.opened) == Words{"b.txt"});
    CHECK(texts(opened.written) == Words{"c"});
}

TEST_CASE("search paths, libraries, programs and variables that a source names") {
    auto found =
        scan("package.path = './lib/?.lua;' .. package.path\n"
             "package.cpath = package.cpath .. ';' .. arg[0]:match '(.*/)' .. '?.so'\n"
             "package.preload['made'] = function() end\npackage.preload.up = f\n"
             "ffi.load 'z' package.loadlib('./x.so', '*') os.execute('dot -Tpng') io.popen 'git log'\n"
             "os.getenv 'HOME'",
             "");
    CHECK(marked(found.lua_path.at(0).text) == "./lib/?.lua;P");
    CHECK(marked(found.c_path.at(0).text) == "P;E/?.so");
    CHECK(texts(found.preloaded) == Words{"made", "up"});
    CHECK(texts(found.libraries) == Words{"z", "./x.so"});
    CHECK(texts(found.programs) == Words{"dot", "git"});
    CHECK(texts(found.variables) == Words{"HOME"});
}

TEST_CASE("fields of tables as rockspecs and manifests hold them") {
    auto fields =
        fields_of_tables("package = 'tide'\ndescription = { license = \"MIT\", [\"home page\"] = 'x' }\n"
                         "rock_manifest = { lua = { ['tide.lua'] = 'd41d', tide = { ['a.lua'] = '8f' } } }");
    CHECK(fields["package"] == "tide");
    CHECK(fields["description/license"] == "MIT");
    CHECK(fields["description/home page"] == "x");
    CHECK(fields.contains("rock_manifest/lua/tide.lua"));
    CHECK(fields.contains("rock_manifest/lua/tide/a.lua"));
    CHECK(fields_of_tables("}}} = {{{ 'x'").size() <= 1);
}
