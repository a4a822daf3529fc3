// Texts of a start with place-holders, and the environment of the program.
#include "start_text.h"

#include <catch2/catch.hpp>
#include <cstdlib>
#include <string>
#include <vector>

using namespace omnistasis;
using namespace omnistasis::launcher;

namespace {

const StartValues values{"/t r/ee", "./app"};

std::string filled(const char* text) {
    char* result = filled_in(text, values, std::malloc);
    std::string copy = result;
    std::free(result);
    return copy;
}

payload::Bytes bytes(const std::string& list) {
    return {reinterpret_cast<const std::uint8_t*>(list.data()), list.size()};
}

std::vector<std::string> environment(std::vector<std::string> before, const std::string& kept,
                                     const std::string& set) {
    std::vector<char*> list;
    for (std::string& one : before) list.push_back(one.data());
    list.push_back(nullptr);
    std::vector<std::string> after;
    char** made = program_environment(list.data(), bytes(kept), bytes(set), values, std::malloc);
    for (char** one = made; *one != nullptr; ++one) after.emplace_back(*one);
    return after;
}

using Texts = std::vector<std::string>;

} // namespace

TEST_CASE("place-holders stand anywhere in an argument, as often as they like") {
    CHECK(filled("{tree}/a.jar:{tree}/b.jar") == "/t r/ee/a.jar:/t r/ee/b.jar");
    CHECK(filled("-Dname={self};{tree}") == "-Dname=./app;/t r/ee");
    CHECK(filled("{tree}{self}{tree}") == "/t r/ee./app/t r/ee");
    CHECK(filled("").empty());
    CHECK(filled("{tre} {} {TREE} {tree") == "{tre} {} {TREE} {tree");
}

TEST_CASE("variables are set, and those that the user had are kept under another name") {
    CHECK(environment({"A=1", "HOME=/h"}, "", "") == Texts{"A=1", "HOME=/h"});
    CHECK(environment({"LUA_INIT=x", "LUA_INITIAL=y", "B=2"}, std::string("LUA_INIT\0", 9), "") ==
          Texts{"OMNISTASIS_KEPT_LUA_INIT=x", "LUA_INITIAL=y", "B=2"});
    std::string set("PATHS={tree}/x;{tree}/y\0NEW=\0", 29);
    CHECK(environment({"PATHS=mine", "B=2"}, "", set) ==
          Texts{"OMNISTASIS_KEPT_PATHS=mine", "B=2", "PATHS=/t r/ee/x;/t r/ee/y", "NEW="});
    CHECK(environment({}, std::string("X\0", 2), set) == Texts{"PATHS=/t r/ee/x;/t r/ee/y", "NEW="});
}
