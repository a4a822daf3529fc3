// Reports, profiles, licences and secrets, through the built program.
#include "support/json.h"
#include "workshop.h"

#include <catch2/catch.hpp>
#include <cstdint>
#include <string>

using namespace omnistasis;
using namespace omnistasis::test;

namespace {

bool holds(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

std::string text_at(const fs::path& file) { return read_text(file).value_or(""); }

/// A program with two modules and a package, whose licence its metadata names.
void write_program(Workshop& workshop) {
    std::string packages = workshop.make_environment();
    workshop.write("main.py", "import os\nimport quay\nimport charts\nprint(quay.DEPTH, charts.SCALE, "
                              "os.environ.get('TIDE_UNIT', 'm'))\n");
    workshop.write("quay.py", "import json\nDEPTH = json.loads('7')\n");
    workshop.write(packages + "charts/__init__.py", "SCALE = 5\n");
    workshop.write(packages + "charts-2.1.dist-info/METADATA",
                   "Metadata-Version: 2.1\nName: charts\nVersion: 2.1\nLicense: MIT License\n        \n      "
                   "  \nHome-page: "
                   "https://charts.example\n");
    workshop.write(packages + "charts-2.1.dist-info/top_level.txt", "charts\n");
    workshop.write(packages + "charts-2.1.dist-info/LICENSE",
                   "Permission is hereby granted, to the harbour.\n");
}

ProgramOutput run(Workshop& workshop, const std::string& command) {
    return workshop.shell(std::string(quoted_program) + " " + command);
}

} // namespace

TEST_CASE("a report tells of an output, in figures that add up") {
    Workshop workshop("report", "");
    write_program(workshop);
    auto built = run(workshop, "build main.py -q");
    INFO(built.err);
    REQUIRE(built.exit_code == 0);
    auto reported = run(workshop, "report main.py -o 'the report' --mark quay");
    INFO(reported.err);
    REQUIRE(reported.exit_code == 0);
    fs::path folder = workshop.path("the report");
    // Each area of the size map has its bytes; together they are the file.
    std::string map = text_at(folder / "size-map.svg");
    std::uint64_t sum = 0;
    for (std::size_t at = map.find("data-bytes=\""); at != std::string::npos;
         at = map.find("data-bytes=\"", at + 1))
        sum += std::stoull(map.substr(at + 12));
    CHECK(sum == fs::file_size(workshop.path("out/linux-x86_64/main")));
    auto facts = parse_json(text_at(folder / "facts.json"));
    std::uint64_t stored = 0;
    for (const auto& piece : facts["pieces"]) stored += piece["stored"].get<std::uint64_t>();
    CHECK(stored == sum);
    CHECK(facts["bytes"] == sum);
    // The reasons are those of `why`.
    for (const char* name : {"quay", "charts", "json"})
        for (const auto& piece : facts["pieces"])
            if (piece["name"] == name) {
                auto why = run(workshop, std::string("why ") + name + " main.py");
                INFO(why.out);
                CHECK(holds(why.out, piece["why"]["by"].get<std::string>()));
                CHECK(holds(why.out, ":" + std::to_string(piece["why"]["line"].get<int>())));
            }
    auto charts = std::find_if(facts["components"].begin(), facts["components"].end(),
                               [](const auto& one) { return one["name"] == "charts"; });
    REQUIRE(charts != facts["components"].end());
    CHECK((*charts)["licence"] == "MIT");
    CHECK((*charts)["url"] == "pkg:pypi/charts@2.1");
    CHECK(facts["variables"][0]["name"] == "TIDE_UNIT");
    std::string page = text_at(folder / "index.html");
    CHECK(holds(page, "May it be given away?"));
    CHECK_FALSE(holds(page, "src=\"http"));
    CHECK_FALSE(holds(page, workshop.folder().string()));
    CHECK(holds(text_at(folder / "READ-ME.txt"), "TIDE_UNIT"));
    CHECK(holds(text_at(folder / "licences.txt"), "Permission is hereby granted, to the harbour."));
    CHECK(fs::file_size(folder / "imports.png") > 1000);
    auto bom = parse_json(text_at(folder / "bom.cdx.json"));
    CHECK(bom["specVersion"] == "1.5");
    auto spdx = parse_json(text_at(folder / "bom.spdx.json"));
    CHECK(spdx["spdxVersion"] == "SPDX-2.3");
    // The same facts give the same files.
    CHECK(run(workshop, "report main.py -o again --mark quay").exit_code == 0);
    for (const char* name : {"index.html", "bom.cdx.json", "size-map.svg", "parts.csv"})
        CHECK(text_at(folder / name) == text_at(workshop.path("again") / name));
    // The notice file goes along.
    auto inspected = run(workshop, "inspect out/linux-x86_64/main --extract taken");
    CHECK(holds(text_at(workshop.path("taken/licences.txt")), "charts 2.1"));
}

TEST_CASE("a report without an output, of a damaged one, among foreign files") {
    Workshop workshop("unreported");
    workshop.write("main.py", "import json\n");
    auto unbuilt = run(workshop, "report main.py -o report --runtime /usr/bin/python3");
    INFO(unbuilt.err);
    unbuilt = workshop.omnistasis({"report", "main.py", "-o", "report"});
    INFO(unbuilt.err);
    CHECK(unbuilt.exit_code == 0);
    CHECK(holds(unbuilt.err, "was not built yet"));
    CHECK(holds(text_at(workshop.path("report/index.html")), "was not built yet"));
    workshop.write("report/mine.txt", "mine");
    CHECK(workshop.omnistasis({"report", "main.py", "-o", "report", "-q"}).exit_code == 0);
    CHECK(text_at(workshop.path("report/mine.txt")) == "mine");
    workshop.write("other/index.html", "somebody's");
    auto foreign = workshop.omnistasis({"report", "main.py", "-o", "other"});
    CHECK(foreign.exit_code == 3);
    CHECK(text_at(workshop.path("other/index.html")) == "somebody's");
    REQUIRE(workshop.omnistasis({"build", "main.py", "-q"}).exit_code == 0);
    // Records of earlier work that somebody has changed are as good as none.
    workshop.write("out/linux-x86_64/main.history.json", R"({"format": "x"})");
    REQUIRE(workshop.omnistasis({"build", "main.py", "-q"}).exit_code == 0);
    CHECK(holds(text_at(workshop.path("out/linux-x86_64/main.history.json")), "\"format\": 1"));
    workshop.write("out/linux-x86_64/main.proof.json", R"({"format": 1, "runs": 5, "holds": "yes"})");
    workshop.write("out/linux-x86_64/main.profile.json", R"({"format": "x"})");
    auto changed = workshop.omnistasis({"report", "main.py", "-o", "report"});
    INFO(changed.err);
    CHECK(changed.exit_code == 0);
    CHECK(holds(changed.err, "main.profile.json can't be read"));
    CHECK(holds(text_at(workshop.path("report/index.html")), "does not stand alone"));
    fs::path output = workshop.path("out/linux-x86_64/main");
    fs::resize_file(output, fs::file_size(output) - 1000);
    auto damaged = workshop.omnistasis({"report", "main.py", "-o", "report"});
    CHECK(damaged.exit_code == 0);
    CHECK(holds(damaged.err, "can't be read"));
    CHECK(workshop.omnistasis({"report", "out/linux-x86_64/main", "-o", "third"}).exit_code == 3);
    CHECK(workshop.omnistasis({"report", "nowhere.py"}).exit_code == 3);
    CHECK(workshop.omnistasis({"report", "main.py", "-o", "main.py"}).exit_code == 3);
}

TEST_CASE("credentials stop a build unless the project allows them, so do licences that it refuses") {
    Workshop workshop("secrets", "");
    write_program(workshop);
    std::string token = std::string("gh") + "p_x7Kq2LmN9vBt4RsW8yHc3JdF6gPz5QaE1uXo";
    workshop.write("quay.py", "DEPTH = 7\nTOKEN = '" + token + "'\n");
    auto stopped = run(workshop, "build main.py -q");
    CHECK(stopped.exit_code == 1);
    CHECK(holds(stopped.err, "quay.py:2"));
    CHECK_FALSE(holds(stopped.err, token));
    CHECK_FALSE(fs::exists(workshop.path("out/linux-x86_64/main")));
    std::string project =
        "[app]\nentry = \"main.py\"\n[[allow]]\nfile = \"quay.py\"\nkind = \"code-host-token\"\n";
    workshop.write("omnistasis.toml", project);
    auto unexplained = run(workshop, "build -q");
    CHECK(unexplained.exit_code == 3);
    CHECK(holds(unexplained.err, "reason"));
    workshop.write("omnistasis.toml", project + "reason = \"it opens nothing\"\n");
    auto allowed = run(workshop, "build -q");
    INFO(allowed.err);
    CHECK(allowed.exit_code == 0);
    // Rules that fit nothing are told, so that they do not outlive their reason, also by a rebuild.
    workshop.write("omnistasis.toml",
                   project + "reason = \"it opens nothing\"\n[[allow]]\nfile = \"gone.py\"\n"
                             "reason = \"it was there once\"\n[[terms.settled]]\n"
                             "package = \"lanterns\"\nlicence = \"Zlib\"\nreason = \"as they say\"\n");
    for (const char* depth : {"7", "8"}) {
        workshop.write("quay.py", std::string("DEPTH = ") + depth + "\nTOKEN = '" + token + "'\n");
        auto told = run(workshop, "build");
        CHECK(told.exit_code == 0);
        CHECK(holds(told.err, "nothing is found in gone.py"));
        CHECK(holds(told.err, "nothing that is shipped is called lanterns"));
    }
    workshop.write("omnistasis.toml", project + "reason = \"it opens nothing\"\n");
    // A source that changed is searched again, also where the trace is the same.
    run(workshop, "build -q");
    workshop.write("main.py", text_at(workshop.path("main.py")) + "KEY = '" + token + "'\n");
    auto again = run(workshop, "build -q");
    CHECK(again.exit_code == 1);
    CHECK(holds(again.err, "main.py:5"));
    workshop.write("main.py", "import charts\n");
    workshop.shell("sed -i 's/MIT License/BSL-1.0/' .venv/lib/*/site-packages/charts-2.1.dist-info/METADATA");
    workshop.write("omnistasis.toml", "[app]\nentry = \"main.py\"\n[terms]\nrefuse = [\"BSL-*\"]\n");
    auto refused = run(workshop, "build -q");
    CHECK(refused.exit_code == 1);
    CHECK(holds(refused.err, "charts"));
    workshop.write("omnistasis.toml",
                   "[app]\nentry = \"main.py\"\n[terms]\nrefuse = [\"BSL-*\"]\n[trace]\nwithout = "
                   "[\"own-files\"]\n[[terms.settled]]\n"
                   "package = \"charts\"\nlicence = \"Zlib\"\nreason = \"as its author wrote us\"\n");
    auto decided = run(workshop, "build -q");
    INFO(decided.err);
    CHECK(decided.exit_code == 0);
}

TEST_CASE("a profile measures starts, and says what they go to") {
    Workshop workshop("profile");
    workshop.write("main.py", "import time\nimport slow\ndef late():\n    return slow.DEPTH\n");
    workshop.write("slow.py", "import time\ntime.sleep(0.02)\nDEPTH = 7\n");
    REQUIRE(workshop.omnistasis({"build", "main.py", "-q"}).exit_code == 0);
    auto done = workshop.omnistasis({"profile", "main.py", "--runs", "2", "--json"});
    INFO(done.err);
    REQUIRE(done.exit_code == 0);
    auto json = parse_json(done.out);
    CHECK(json["warm"]["runs"] == 2);
    CHECK(json["source"]["runs"] == 2);
    CHECK(json["warm"]["median_ms"].get<double>() >= 20);
    CHECK(json["costs"][0]["name"] == "slow");
    CHECK(json["could_wait"][0]["module"] == "slow");
    CHECK(json["could_wait"][0]["line"] == 2);
    workshop.write("main.py", "import time\ntime.sleep(30)\n");
    REQUIRE(workshop.omnistasis({"build", "main.py", "-q"}).exit_code == 0);
    auto endless = workshop.omnistasis({"profile", "main.py", "--runs", "1", "--seconds", "0.3"});
    CHECK(endless.exit_code == 1);
    CHECK(holds(endless.err, "does not end"));
}
