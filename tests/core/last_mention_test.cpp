// Where a scan of JavaScript may stop: behind that nothing is asked for.
#include "runtimes/node/last_mention.h"
#include "runtimes/node/scanner.h"

#include <catch2/catch.hpp>
#include <string>

using namespace omnistasis::node;

namespace {

/// What a scan finds, in words.
std::string found(std::string_view source) {
    std::string out;
    for (const Request& request : scan(source).requests)
        out += std::to_string(static_cast<int>(request.kind)) + request.text + ":" +
               std::to_string(request.line) + ";";
    return out;
}

} // namespace

TEST_CASE("a text that asks for nothing has no last mention") {
    CHECK(end_of_last_mention("") == 0);
    CHECK(end_of_last_mention("const depth = 7;\nfunction tide(a, b) { return a / b / 2; }\n") == 0);
    CHECK(end_of_last_mention("/") == 0);
    CHECK(end_of_last_mention("'") == 0);
}

TEST_CASE("all that asks for a file is in front of the last mention") {
    const std::string quiet = "\nfunction depth(x) { return `${x}` / 2 + /[/']/.test('a') ? \"b\" : 1; }\n";
    for (const std::string asking :
         {"const a = require('a');", "import b from 'b';", "export * from './c.js';", "import('./d');",
          "require.resolve('e');", "new URL('./f.txt', import.meta.url);", "new Worker('./g.js');",
          "child_process.fork('./h.js');", "require('fs').readFileSync(__dirname + '/i.txt');",
          "const load = createRequire(import.meta.url); load('j');", "eval('1');", "process.env.HARBOUR;",
          "const k = path.join(__dirname, 'k');", "open(__filename);"}) {
        INFO(asking);
        std::string text = quiet + asking + quiet;
        std::size_t end = end_of_last_mention(text);
        CHECK(end > quiet.size());
        CHECK(end <= quiet.size() + asking.size());
        // The quiet part behind it changes nothing.
        CHECK(found(text) == found(quiet + asking));
        // It does where it is not quiet.
        std::string twice = text + "require('last');";
        CHECK(end_of_last_mention(twice) > text.size());
        CHECK(found(twice).find("last") != std::string::npos);
    }
}

TEST_CASE("what is cut off in the middle of a text, a template or an expression ends well") {
    const std::string whole = "const a = require(`./${name}/b`), c = /require\\('x'\\)/; import('d' + `e`)";
    for (std::size_t size = 0; size <= whole.size(); ++size) {
        std::string part = whole.substr(0, size);
        CHECK(end_of_last_mention(part) <= part.size());
        found(part);
    }
}
