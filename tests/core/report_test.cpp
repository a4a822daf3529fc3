// The report's tables and page, from facts in memory.
#include "folder.h"
#include "report/page.h"
#include "report/read_me.h"
#include "report/size_map.h"
#include "report/tables.h"

#include <algorithm>

using namespace omnistasis;
using namespace omnistasis::report;

namespace {

const std::string hostile = "</script><img src=x onerror=\"alert(1)\">'\"&\n=cmd()";

Facts facts() {
    Facts facts;
    facts.name = "tideboard";
    facts.title = "Tideboard";
    facts.version = "1.4.0";
    facts.target = host_target();
    facts.form = "file";
    facts.mode = "console";
    facts.runtime = "Python 3.11.2";
    facts.output = "out/tideboard";
    facts.output_size = 1000;
    facts.graph.units = {{trace::UnitKind::code, "main", "/p/main.py", "lib/main.py", true},
                         {trace::UnitKind::code, "charts", "/p/charts.py", "lib/charts.py", false}};
    facts.graph.roots = {0};
    facts.graph.edges = {{0, 1, {"imports", "/p/main.py", 3, false}}};
    facts.graph.loose_ends = {{.kind = "computed-import",
                               .what = "main imports a module by a computed name",
                               .file = "/p/main.py",
                               .line = 7,
                               .effect = "it may be missing",
                               .advice = "name it"}};
    facts.project_folder = "/p";
    facts.pieces = {{"main", "module", "", "lib/main.py", 300, 100, 0},
                    {"charts", "module", "charts", "lib/charts.py", 900, 400, 1},
                    {"launcher", "launcher", "Omnistasis", "", 500, 500, std::nullopt}};
    ComponentFacts charts;
    charts.name = "charts";
    charts.version = "2.1";
    charts.kind = "package";
    charts.licence = "MIT";
    charts.raw = 900;
    charts.stored = 400;
    facts.components = {charts};
    return facts;
}

std::string page_template() {
    auto text = read_text(std::string(DATA_FOLDER) + "/report/page.html");
    REQUIRE(text);
    return *text;
}

/// The JSON that a page holds.
Json facts_in(const std::string& page) {
    const std::string begin = "id=\"facts\">";
    std::size_t from = page.find(begin);
    REQUIRE(from != std::string::npos);
    std::size_t to = page.find("</script>", from);
    REQUIRE(to != std::string::npos);
    return parse_json(page.substr(from + begin.size(), to - from - begin.size()));
}

} // namespace

TEST_CASE("the facts as JSON have every piece with its reason, and paths as readers know them") {
    Json json = facts_as_json(facts());
    CHECK(json["format"] == 1);
    CHECK(json["bytes"] == 1000);
    REQUIRE(json["pieces"].size() == 3);
    CHECK_FALSE(json["pieces"][0].contains("why"));
    CHECK(json["pieces"][1]["why"]["by"] == "main");
    CHECK(json["pieces"][1]["why"]["file"] == "main.py");
    CHECK(json["pieces"][1]["why"]["line"] == 3);
    CHECK_FALSE(json["pieces"][2].contains("unit"));
    CHECK(json["traced"] == true);
    CHECK(json["loose_ends"][0]["file"] == "main.py");
    CHECK_FALSE(json.contains("findings"));
    CHECK(parse_json(facts_json(facts())) == json);
}

TEST_CASE("the page holds the facts, the figures and the steps to each unit") {
    Facts some = facts();
    some.size_svg = "<svg xmlns=\"http://www.w3.org/2000/svg\"/>";
    Json json = facts_in(report_page(some, page_template()));
    CHECK(json["name"] == "tideboard");
    CHECK(json["figures"]["size-map"] == some.size_svg);
    CHECK(json["figures"]["start"] == "");
    const Json& reasons = json["reasons"];
    CHECK(reasons["names"] == Json{"main", "charts"});
    CHECK(reasons["by"] == Json{-1, 0});
    CHECK(reasons["texts"][reasons["verbs"][1].get<std::size_t>()] == "imports");
    CHECK(reasons["lines"][1] == 3);
}

TEST_CASE("nothing in the facts can end the element that holds them, or become markup") {
    Facts some = facts();
    some.title = some.summary = hostile;
    some.pieces[0].name = some.pieces[0].kind = some.pieces[0].owner = hostile;
    some.components[0].name = some.components[0].licence = hostile;
    some.graph.loose_ends[0].what = hostile;
    some.graph.units[0].name = hostile;
    some.missing = {hostile};
    std::string plain = page_template();
    std::string page = report_page(some, plain);
    auto count = [](const std::string& text, const std::string& what) {
        std::size_t found = 0;
        for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + 1)) ++found;
        return found;
    };
    CHECK(count(page, "</script>") == count(plain, "</script>"));
    CHECK(count(page, "<img") == 0);
    Json json = facts_in(page);
    CHECK(json["title"] == hostile);
    CHECK(json["pieces"][0]["kind"] == hostile);
}

TEST_CASE("names that are no UTF-8 break no report") {
    Facts some = facts();
    some.pieces[0].name = "tide\xff\xfe";
    CHECK(facts_in(report_page(some, page_template()))["pieces"].size() == 3);
    CHECK(pieces_csv(some).find("tide") != std::string::npos);
}

TEST_CASE("the page names no other place than itself") {
    std::string page = page_template();
    for (const char* outside :
         {"src=\"http", "href=\"http", "url(http", "@import", "fetch(", "XMLHttpRequest", "eval("}) {
        INFO(outside);
        CHECK(page.find(outside) == std::string::npos);
    }
    // Texts become text nodes.
    CHECK(page.find("innerHTML") == std::string::npos);
    CHECK(page.find("default-src 'none'") != std::string::npos);
}

TEST_CASE("tables are CSV: fields with separators are quoted, quotes doubled") {
    Facts some = facts();
    some.pieces[1].name = "charts, \"old\"\nand new";
    std::string csv = pieces_csv(some);
    CHECK(csv.find("\"charts, \"\"old\"\"\nand "
                   "new\",module,charts,lib/charts.py,900,400,imports,main,main.py,3\r\n") !=
          std::string::npos);
    CHECK(csv.starts_with("name,kind,component,place,bytes,stored,why,by,file,line\r\n"));
    some.pieces[0].name = "=1+1";
    CHECK(pieces_csv(some).find("\r\n'=1+1,") != std::string::npos);
    std::string components = components_csv(some);
    CHECK(components.find("charts,2.1,package,MIT,") != std::string::npos);
}

TEST_CASE("the text for who gets the application leaves out what is not known") {
    Facts some = facts();
    auto text =
        read_me_text(some, "{title} {version}\n\n{summary}\n\nHomepage: {homepage}\n\n{start}\n", "t");
    REQUIRE(text);
    CHECK(text->starts_with("Tideboard 1.4.0\n"));
    CHECK(text->find("Homepage") == std::string::npos);
    CHECK(text->find("tideboard") != std::string::npos);
    some.homepage = "https://harbour.example";
    CHECK(read_me_text(some, "Homepage: {homepage}\n", "t")->find("https://harbour.example") !=
          std::string::npos);
    auto wrong = read_me_text(some, "a\n{titel}\n", "ours.txt");
    REQUIRE_FALSE(wrong);
    CHECK(wrong.error().where.find("ours.txt") != std::string::npos);
    CHECK((wrong.error().what + wrong.error().hint).find("title") != std::string::npos);
}

TEST_CASE("what the text says of a system is the target's") {
    Facts some = facts();
    std::string text = "{start}\n\n{needs}\n";
    some.target = "windows-x86_64";
    CHECK(read_me_text(some, text, "t")->find("Windows 10") != std::string::npos);
    some.target = "macos-aarch64";
    CHECK(read_me_text(some, text, "t")->find("macOS") != std::string::npos);
    // Where its data is, in each system's own words.
    some.name = "tides";
    some.form = "file";
    some.state = {{false, "app/log.db", "log.db"}, {true, "app/notes", "notes/old"}};
    auto places = [&](const std::string& target) {
        some.target = target;
        return read_me_text(some, "{data}\n\n{remove}\n", "t").value();
    };
    CHECK(
        places("linux-x86_64").starts_with("~/.local/share/tides/log.db\n~/.local/share/tides/notes/old\n"));
    CHECK(places("linux-x86_64").find("What it unpacked is in ~/.local/share/omnistasis/, in") !=
          std::string::npos);
    CHECK(places("windows-x86_64")
              .starts_with("%LOCALAPPDATA%\\tides\\log.db\n%LOCALAPPDATA%\\tides\\notes\\old\n"));
    CHECK(places("macos-aarch64").find("~/Library/Application Support/tides/log.db\n") == 0);
    CHECK(
        places("macos-aarch64").find("What it copied is in ~/Library/Application Support/omnistasis/, in") !=
        std::string::npos);
    some.state.clear();
    CHECK(places("macos-aarch64").find("is in ~/Library") == std::string::npos);
    some.target = "linux-x86_64";
    some.oldest_system = "glibc 2.34 or newer";
    auto linux_text = read_me_text(some, text, "t");
    CHECK(linux_text->find("Linux with glibc 2.34") != std::string::npos);
    CHECK(linux_text->find("chmod +x tideboard") != std::string::npos);
}
