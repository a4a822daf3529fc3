#include "folder.h"
#include "runtimes/node/resolver.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using namespace omnistasis::node;
using omnistasis::test::Folder;

namespace {

struct Packages : Folder {
    Packages() {
        write("app/main.js", "");
        write("app/package.json", R"({"name": "app", "exports": {"./pub": "./lib/pub.js"},
                                      "imports": {"#own": "./lib/own.js", "#dep/*": "plain/lib/*.js"}})");
        write("app/lib/pub.js", "");
        write("app/lib/own.js", "");
        write("app/data.json", "{}");
        write("app/folder/index.js", "");
        write("app/folder.js", "");
        write("app/with main/package.json", R"({"main": "start"})");
        write("app/with main/start.js", "");
        write("node_modules/plain/package.json", R"({"name": "plain"})");
        write("node_modules/plain/index.js", "");
        write("node_modules/plain/lib/deep.js", "");
        write("node_modules/mapped/package.json", R"({"name": "mapped", "exports": {
            ".": {"import": "./i.mjs", "node": {"require": "./r.cjs"}, "default": "./d.js"},
            "./f/*": "./files/*.js", "./f/private/*": null, "./list": ["./none.js", "./i.mjs"], "./out": "../x.js"}})");
        for (const char* name : {"i.mjs", "r.cjs", "d.js", "files/a.js", "files/private/b.js", "hidden.js"})
            write(std::string("node_modules/mapped/") + name, "");
        write("node_modules/@scope/pkg/index.js", "");
        write("node_modules/broken/package.json", "{\n\"name\": \"broken\",\n}");
    }
    Resolver resolver{"20.20.2"};
    std::string resolve(const std::string& what, bool import = false) {
        Found found = resolver.resolve(what, (path() / "app/main.js").string(), import);
        switch (found.kind) {
        case Found::Kind::file:
            return relative_to(found.file, path().string());
        case Found::Kind::built_in:
            return "built in";
        case Found::Kind::forbidden:
            return "forbidden";
        case Found::Kind::broken:
            return "broken at line " + std::to_string(found.why_line);
        default:
            return "absent";
        }
    }
};

} // namespace

TEST_CASE("files and folders as require finds them") {
    Packages packages;
    CHECK(packages.resolve("./data") == "app/data.json");
    CHECK(packages.resolve("./folder") == "app/folder.js");
    CHECK(packages.resolve("./folder/") == "app/folder/index.js");
    CHECK(packages.resolve("./with main") == "app/with main/start.js");
    CHECK(packages.resolve("./data", true) == "absent");
    CHECK(packages.resolve("./with%20main/start.js?v=1", true) == "app/with main/start.js");
    CHECK(packages.resolve("plain") == "node_modules/plain/index.js");
    CHECK(packages.resolve("plain/lib/deep") == "node_modules/plain/lib/deep.js");
    CHECK(packages.resolve("@scope/pkg") == "node_modules/@scope/pkg/index.js");
    CHECK(packages.resolve("node:anything") == "built in");
    CHECK(packages.resolve("fs/promises") == "built in");
    CHECK(packages.resolve("nowhere") == "absent");
}

TEST_CASE("a name of a package's imports that leads to itself, or to another one, leads nowhere") {
    Packages packages;
    packages.write("app/package.json", R"({"name": "app", "imports": {"#a": "#a", "#b": "#c", "#c": "#b",
                                           "#d": ["#a", "./data.json"], "#e/*": "#e/*", "#f": {"node": "#a"}}})");
    for (const char* name : {"#a", "#b", "#c", "#e/x", "#f", "#gone"}) {
        INFO(name);
        CHECK(packages.resolve(name) != "built in");
        CHECK(packages.resolve(name).find('.') == std::string::npos);
    }
    CHECK(packages.resolve("#d") == "app/data.json");
}

TEST_CASE("exports and imports with conditions and patterns") {
    Packages packages;
    CHECK(packages.resolve("mapped") == "node_modules/mapped/r.cjs");
    CHECK(packages.resolve("mapped", true) == "node_modules/mapped/i.mjs");
    CHECK(packages.resolve("mapped/f/a") == "node_modules/mapped/files/a.js");
    CHECK(packages.resolve("mapped/f/private/b") == "forbidden");
    CHECK(packages.resolve("mapped/hidden.js") == "forbidden");
    CHECK(packages.resolve("mapped/list") == "node_modules/mapped/i.mjs");
    CHECK(packages.resolve("mapped/out") == "forbidden");
    CHECK(packages.resolve("#own") == "app/lib/own.js");
    CHECK(packages.resolve("#dep/deep") == "node_modules/plain/lib/deep.js");
    CHECK(packages.resolve("app/pub") == "app/lib/pub.js"); // itself
    CHECK(packages.resolve("broken") == "broken at line 3");
}
