// Applications for Node.js.
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

struct NodeWorkshop : Workshop {
    explicit NodeWorkshop(const std::string& name) : Workshop("node " + name, "node") {}
    void package(const std::string& name, const std::string& index, const std::string& more = "") {
        write("node_modules/" + name + "/package.json",
              "{\"name\": \"" + name + "\", \"version\": \"1.0.0\"" + more + "}");
        write("node_modules/" + name + "/index.js", index);
    }
};

} // namespace

TEST_CASE("modules of both kinds, data, workers and children run as from source") {
    NodeWorkshop work("alike");
    work.write("package.json",
               R"({"name": "board", "version": "1.2.3", "imports": {"#data": "./data.json"}})");
    work.write("data.json", "{\"berths\": 4}");
    work.write("texts/hello.txt", "hello\n");
    work.write("late.mjs", "export const late = () => import.meta.url.endsWith('late.mjs');");
    work.write("worker.js", "require('worker_threads').parentPort.postMessage(require('tides').high);");
    work.write("child.cjs", "process.send({ args: process.argv.slice(2), options: process.execArgv });");
    work.write("plugins/one.js", "exports.name = 'one';");
    work.write("plugins/two.js", "exports.name = 'two';");
    work.package("tides", "exports.high = require('./lib/table').high;");
    work.write("node_modules/tides/lib/table.json", "{\"high\": \"03:12\"}");
    work.write("node_modules/tides/unused.js", "throw 1");
    work.write("main.js", R"(#!/usr/bin/env node
const fs = require('fs'), path = require('path');
const { fork } = require('child_process'), { Worker } = require('worker_threads');
console.log(require('tides').high, require('./data').berths, require.main === module);
console.log(fs.readFileSync(path.join(__dirname, 'texts', 'hello.txt'), 'utf8').trim());
for (const name of ['one', 'two']) console.log(require('./plugins/' + name).name);
console.log(path.basename(__filename), process.argv.slice(2), process.execArgv, process.env.NODE_OPTIONS);
import('./late.mjs').then(({ late }) => {
  console.log(late());
  new Worker(path.join(__dirname, 'worker.js')).on('message', (high) => {
    console.log('worker', high);
    fork(path.join(__dirname, 'child.cjs'), ['a b']).on('message', (m) => { console.log(m); process.exitCode = 7; });
  });
});
)");
    std::string printed = work.check_alike("main.js", {"x y", "--flag"});
    CHECK(printed.find("worker 03:12") != std::string::npos);
    ProgramOutput trace = work.omnistasis({"trace", "main.js", "--json"});
    // It is the application's own, and goes along; other packages it brings none.
    CHECK(trace.out.find("unused.js") != std::string::npos);
    CHECK(work.omnistasis(
                  {"trace", "main.js", "--json", "--without", "own-files", "--without", "whole-packages"})
              .out.find("unused.js") == std::string::npos);
    CHECK(work.omnistasis({"why", "tides/lib/table.json", "main.js"}).out.find("index.js:1") !=
          std::string::npos);
}

TEST_CASE("the user's environment changes nothing, and children see it") {
    NodeWorkshop work("environment");
    work.write("evil.js", "console.log('evil');");
    work.write("main.js", "console.log(process.env.NODE_OPTIONS, process.env.NODE_PATH);"
                          "try { require('elsewhere') } catch (e) { console.log(e.code) }");
    work.write("lib/elsewhere.js", "console.log('found by a variable')");
    REQUIRE(work.omnistasis({"build", "main.js", "--compress", "fast", "--out", "out"}).exit_code == 0);
    ProgramOutput run = work.shell("NODE_OPTIONS='--require ./evil.js' NODE_PATH=\"$PWD/lib\" ./out/main");
    CHECK(run.out.starts_with("--require ./evil.js /"));
    CHECK(run.out.ends_with("MODULE_NOT_FOUND\n"));
    CHECK(run.out.find("evil\n") == std::string::npos);
}

TEST_CASE("code that was compiled once is used again, and only for the same sources") {
    NodeWorkshop work("compiled");
    std::string body = "exports.answer = () => 1;\n";
    for (int i = 0; i < 900; ++i)
        body +=
            "exports.f" + std::to_string(i) + " = (x) => ({ a: x + " + std::to_string(i) + ", b: [x] });\n";
    work.write("big.js", body);
    work.write("main.js",
               "const b = require('./big'); console.log(b.answer(), new Error('x').stack.split('\\n')[1]"
               ".replace(/.*[/]/, ''));");
    auto build = [&] {
        REQUIRE(work.omnistasis({"build", "main.js", "--compress", "fast", "--out", "out"}).exit_code == 0);
    };
    build();
    std::string first = work.shell("./out/main").out;
    CHECK(first == "1 main.js:1:53)\n");
    CHECK(work.shell("ls cache/omnistasis/main-*/.compiled").exit_code == 0);
    CHECK(work.shell("./out/main").out == first);
    // A file that is no such, or cut off, is as good as none.
    CHECK(work.shell("truncate -s 1000 cache/omnistasis/main-*/.compiled; ./out/main").out == first);
    CHECK(work.shell("echo damaged > cache/omnistasis/main-*/.compiled; ./out/main").out == first);
    body.replace(body.find("=> 1"), 4, "=> 2");
    work.write("big.js", body);
    build();
    CHECK(work.shell("./out/main").out == "2 main.js:1:53)\n");
}

TEST_CASE("packages that are linked, nested or there in two versions") {
    NodeWorkshop work("linked");
    work.write("package.json", R"({"name": "root", "workspaces": ["packages/*"]})");
    work.write("packages/lamp/package.json", R"({"name": "lamp", "version": "1.0.0"})");
    work.write("packages/lamp/index.js", "exports.lamp = require('bulb').kind;");
    work.package("bulb", "exports.kind = 'new';");
    work.shell("ln -s ../packages/lamp node_modules/lamp");
    // A store of packages, as some package managers keep it.
    work.write("node_modules/.store/crane@1/node_modules/crane/package.json",
               R"({"name": "crane", "version": "1.0.0"})");
    work.write("node_modules/.store/crane@1/node_modules/crane/index.js",
               "exports.crane = require('bulb').kind;");
    work.write("node_modules/.store/bulb@0/node_modules/bulb/package.json",
               R"({"name": "bulb", "version": "0.1.0"})");
    work.write("node_modules/.store/bulb@0/node_modules/bulb/index.js", "exports.kind = 'old';");
    work.shell("ln -s .store/crane@1/node_modules/crane node_modules/crane;"
               "ln -s ../../bulb@0/node_modules/bulb node_modules/.store/crane@1/node_modules/bulb");
    work.write("main.js", "console.log(require('lamp').lamp, require('crane').crane, require('bulb').kind);");
    CHECK(work.check_alike("main.js") == "new old new\n");
}

TEST_CASE("what can't be found is said with the line") {
    NodeWorkshop work("wrong");
    work.write("main.js", "require('./halp');\nrequire('closed/inner');\nimport('./' + process.argv[2]);\n"
                          "try { require('optional') } catch {}\n");
    work.write("help.js", "");
    work.package("closed", "", ", \"exports\": \"./index.js\"");
    work.write("node_modules/closed/inner.js", "");
    ProgramOutput trace = work.omnistasis({"trace", "main.js"});
    INFO(trace.out << trace.err);
    CHECK(trace.err.find("main.js:1: ./halp is not found") != std::string::npos);
    CHECK(trace.err.find("did you mean ./help?") != std::string::npos);
    CHECK(trace.err.find("main.js:2: the `exports` of closed do not give `./inner`") != std::string::npos);
    CHECK(trace.err.find("main.js:3: main.js loads `./*`, of which a part is computed") != std::string::npos);
    CHECK(trace.err.find("optional") == std::string::npos);
    // Naming the files settles it.
    CHECK(work.omnistasis({"trace", "main.js", "--include", "*.js"}).err.find("computed") ==
          std::string::npos);
    work.write("package.json", "{\n  \"name\": \"x\",\n  oops\n}");
    ProgramOutput broken = work.omnistasis({"build", "main.js"});
    CHECK(broken.exit_code == 3);
    CHECK(broken.err.find("package.json:3") != std::string::npos);
}

TEST_CASE("a rehearsal finds what only a run shows") {
    NodeWorkshop work("rehearse");
    work.package("board", "module.exports = (name) => require(name);");
    work.package(
        "hidden",
        "exports.text = require('fs').readFileSync(require('path').join(module.path, 'd.txt'), 'utf8');");
    work.write("node_modules/hidden/d.txt", "deep");
    work.write("main.js", "console.log(require('board')(['hid', 'den'].join('')).text);");
    REQUIRE(work.omnistasis({"rehearse", "main.js"}).exit_code == 0);
    CHECK(work.check_alike("main.js") == "deep\n");
}

TEST_CASE("a proof of a Node.js application names the file that is missing") {
    NodeWorkshop work("prove");
    work.write("package.json", "{}");
    work.write("texts/a.txt", "a");
    work.write(
        "main.js",
        "console.log(require('fs').readFileSync(__dirname + '/texts/' + process.argv[2] + '.txt', 'utf8'));");
    REQUIRE(work.omnistasis({"build", "main.js", "--out", "whole", "--compress", "fast"}).exit_code == 0);
    ProgramOutput holds = work.omnistasis({"prove", "whole/main", "--", "a"});
    INFO(holds.out << holds.err);
    CHECK(holds.exit_code == 0);
    REQUIRE(
        work.omnistasis({"build", "main.js", "--out", "less", "--compress", "fast", "--exclude", "texts/*"})
            .exit_code == 0);
    ProgramOutput lacks = work.omnistasis({"prove", "less/main", "--", "a"});
    CHECK(lacks.exit_code == 1);
    CHECK(lacks.out.find("carry it with --asset 'texts/a.txt'") != std::string::npos);
}

TEST_CASE("what package.json declares goes along, whatever names it") {
    NodeWorkshop work("declared");
    work.write("package.json", R"({"name": "board", "dependencies": {"driver-of-tides": "1", "rope": "1"}})");
    work.package("driver-of-tides", "exports.name = 'tides';");
    work.write("main.js", "const kind = process.argv[2] ?? 'tides'; const load = (n) => require(n);\n"
                          "console.log(load('driver-of-' + kind).name);");
    CHECK(work.check_alike("main.js") == "tides\n");
    auto traced = work.omnistasis({"trace", "main.js"});
    CHECK(traced.err.find("rope is declared and not installed") != std::string::npos);
}

TEST_CASE("a package's own dependencies that only texts name go along") {
    NodeWorkshop work("named");
    work.write("package.json", R"({"name": "board"})");
    work.package("reader",
                 "const wanted = 'words/list.json'; const get = require; exports.all = get(wanted);",
                 R"(, "dependencies": {"words": "1"})");
    work.package("words", "");
    work.write("node_modules/words/list.json", "[\"quay\"]");
    work.write("main.js", "console.log(require('reader').all);");
    CHECK(work.check_alike("main.js") == "[ 'quay' ]\n");
}

TEST_CASE("a tool's presets come from the project around it, and are found from any folder") {
    NodeWorkshop work("preset");
    work.write("package.json", R"({"name": "board", "devDependencies": {"tool": "1", "tool-preset": "1"}})");
    work.package("tool", "", R"(, "bin": "run.js")");
    work.write("node_modules/tool/run.js",
               "#!/usr/bin/env node\nconst { createRequire } = require('module');\n"
               "const from = createRequire(require('path').join(process.cwd(), 'x.js'));\n"
               "console.log(from('tool-' + 'preset').rules); try { from('nowhere') } catch (e) { "
               "console.log(e.code) }");
    work.package("tool-preset", "exports.rules = 3;", R"(, "peerDependencies": {"tool": "1"})");
    CHECK(work.check_alike("node_modules/tool/run.js") == "3\nMODULE_NOT_FOUND\n");
}

TEST_CASE("who changes what modules are wrapped in gets the changed wrapping") {
    NodeWorkshop work("wrapper");
    work.write("part.js", "exports.said = typeof shout;");
    work.write("main.js",
               "const Module = require('module'); const before = Module.wrapper[0];\n"
               "Module.wrapper[0] = before + 'const shout = 1;'; console.log(require('./part').said);");
    CHECK(work.check_alike("main.js") == "number\n");
}
