#include "runtimes/node/scanner.h"

#include <catch2/catch.hpp>

using namespace omnistasis::node;

namespace {

/// One request a line, as "kind text", with `D` for the file's own folder, `F` for the file, `?` for what is
/// unknown.
std::string found(std::string_view source) {
    static const char* const kinds[] = {"require", "import", "import()", "resolve",
                                        "start",   "file",   "mention"};
    std::string out;
    for (const Request& request : scan(source).requests) {
        out += out.empty() ? "" : "; ";
        out += std::string(kinds[static_cast<int>(request.kind)]) + " ";
        for (char c : request.text)
            out += c == own_folder ? 'D' : c == own_file ? 'F' : c == unknown ? '?' : c;
        if (request.guarded && request.kind != RequestKind::mention) out += " guarded";
        if (request.in_function) out += " inside";
    }
    return out;
}

} // namespace

TEST_CASE("what a script asks for by statement and by call") {
    CHECK(found("const a = require('a'), b = require(\"./b.js\")") == "require a; require ./b.js");
    CHECK(found("import x, { y as z } from 'm'\nimport 's'\nexport * as q from './q.js'\nexport { r } from "
                "\"r\"") == "import m; import s; import ./q.js; import r");
    CHECK(found("export { a };\nexport default 'no';\nconst s = 'x'; export const t = \"u\"").empty());
    CHECK(found("import { 'a b' as c } from 'strings'") == "import strings");
    CHECK(found("import d, * as e from 'both'\nawait import('late')") == "import both; import() late");
    CHECK(found("require.resolve('pkg/file'); import.meta.resolve('m')") == "resolve pkg/file; resolve m");
    CHECK(found("module.require('own'); other.require('not')") == "require own");
    CHECK(found("const load = createRequire(import.meta.url); load('made')").find("require made") !=
          std::string::npos);
    CHECK(found("const o = { import: 1, require: 2 }; o.import('x')").empty());
}

TEST_CASE("texts, comments and regular expressions hide nothing and show nothing") {
    CHECK(found("// require('a')\n/* require('b') */ `require('c')`; \"require('d')\"; require('e')") ==
          "require e");
    CHECK(found("`${require('in')} ${`deep ${require('deeper')}`}`") == "require in; require deeper");
    CHECK(found("x = a / b; /require('no')/.test(c); y = (d) / 2; require('yes')") == "require yes");
    CHECK(found("if (x) /'/.exec(y); require('after')") == "require after");
    CHECK(found("function f() {} /[/'\"]/g.test(x); require('after')") == "require after");
    CHECK(found("x = {} / 2; require('a'); z = y++ / 2; require('b'); return /'/") == "require a; require b");
    CHECK(found("r = /[^/]'\\/\"/; require('behind')") == "require behind");
    CHECK(found("#!/usr/bin/env node require('x')\nrequire('y')") == "require y");
    CHECK(found("'never closed\nrequire('next')") == "require next");
    CHECK(found("require('\\x61\\u0062\\u{63}\\\nd')") == "require abcd");
}

TEST_CASE("whether a file can do without what it asks for") {
    CHECK(found("try { require('a') } catch { require('b') }") == "require a guarded; require b");
    CHECK(found("function f() { require('c') } const g = () => { require('d') }; require('e')") ==
          "require c inside; require d inside; require e");
    CHECK(found("import('f').catch(() => {}); import('g').then(h)") == "import() f guarded; import() g");
}

TEST_CASE("arguments are followed through constants, templates, sums and paths") {
    CHECK(found("const n = './n'; require(n + '.js')") == "require ./n.js");
    CHECK(found("require(`./lang/${code}.js`)") == "require ./lang/?.js");
    CHECK(found("require(x ? './a' : './b')") == "require ./a; require ./b");
    CHECK(found("require(process.env.KIND || './usual')").starts_with("require ./usual"));
    CHECK(found("require(anything)") == "require ?");
    CHECK(found("fs.readFileSync(path.join(__dirname, '..', 'data', name + '.json'))") ==
          "file D/../data/?.json");
    CHECK(found("open(__dirname + '/x.txt'); open(`${__dirname}/y/${z}`)") == "file D/x.txt; file D/y/?");
    CHECK(found("const u = new URL('../t.wasm', import.meta.url)").starts_with("file D/../t.wasm"));
    CHECK(found("const here = path.dirname(fileURLToPath(import.meta.url));\nread(join(here, 'q'))")
              .ends_with("file D/q"));
    CHECK(found("new Worker('./w.js'); fork('child.js'); fork(command)") ==
          "start ./w.js; mention ./w.js; start child.js");
    CHECK(found("load('../lib/part.mjs'); say('./no module'); load('./bare')") ==
          "mention ../lib/part.mjs; mention ./bare");
}

TEST_CASE("lines, variables and late imports") {
    ScanResult result = scan("\n\nrequire('a')\n/*\n\n*/ process.env.PORT; process.env['HOST']\nimport('x')");
    REQUIRE(result.requests.size() == 2);
    CHECK(result.requests[0].line == 3);
    CHECK(result.requests[1].line == 7);
    REQUIRE(result.variables.size() == 2);
    CHECK(result.variables[1].name == "HOST");
    CHECK(result.variables[1].line == 6);
    CHECK(result.imports_late);
    CHECK_FALSE(scan("const text = 'import(x)'").imports_late);
    CHECK(scan("new Function('m', 'return import(m)')").imports_late);
    CHECK(scan("export const a = 1").is_module);
}

TEST_CASE("any bytes are survived, however deep") {
    for (std::string unit : {"`${", "(", "{", "[", "a?b:", "x+", "require(", "path.join(", "/", "/*", "'",
                             "import {", "new URL("}) {
        std::string deep;
        for (int i = 0; i < 20000; ++i) deep += unit;
        CHECK_NOTHROW(scan(deep));
    }
    CHECK_NOTHROW(scan(std::string_view("\0require(\xff\xfe'\x80", 14)));
}

TEST_CASE("what is asked for at the end of a file is found, wherever it ends") {
    const std::string filler =
        "const depth = (x) => x.map((y) => y / 2).filter((z) => /[a-z]+/.test(z)); // 7\n";
    for (std::string asking :
         {"require('tide')", "import('tide')", "export * from 'tide'", "load('./tide')", "load(\"../tide\")"})
        for (std::size_t behind = 0; behind < 4; ++behind) {
            INFO(asking << " and " << behind);
            auto found = scan(filler + filler + asking + std::string(behind, ';') + filler.substr(0, 60));
            CHECK(found.requests.size() == 1);
        }
    CHECK(scan(filler + "process.env.QUAY;" + filler).variables.size() == 1);
    CHECK(scan(filler + "forks; importer; exported").requests.empty());
    // Names that the file makes ask where none of the usual words stand.
    CHECK(scan("const ask = createRequire(here);" + filler + "ask('tide')").requests.size() == 1);
}

TEST_CASE("a constant that may be the file's own folder is one") {
    CHECK(found("var d = {}.url ? f(g) : __dirname;\nvar e = path.join(d, '/../fonts/');")
              .find("file D/../fonts/") != std::string::npos);
    CHECK(found("const d = typeof __dirname === 'string' ? __dirname : '';\nread(d + '/data.bin')")
              .find("D/data.bin") != std::string::npos);
}

TEST_CASE("names of files that only a program's own folder has") {
    CHECK(found("locate('tide-table.wasm')") == "mention ./tide-table.wasm");
    CHECK(found("start(\"quay-worker.js\")").find("mention ./quay-worker.js") == 0);
    CHECK(found("a = '.wasm'; b = 'x y.wasm'; c = 'https://quay.example/a.wasm'").empty());
}
