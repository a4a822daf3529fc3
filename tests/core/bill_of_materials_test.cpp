// Bills of materials name each component once, whatever it is called, and nothing that they don't name.
#include "report/bill_of_materials.h"
#include "report/history.h"
#include "support/json.h"
#include "support/json_field.h"

#include <catch2/catch.hpp>
#include <set>

using namespace omnistasis;

namespace {

/// The tide board with packages whose names are the same but for signs that identifiers can't have, one
/// package in two copies, and one that needs another.
report::Facts board() {
    report::Facts facts;
    facts.name = "tide board";
    facts.version = "2.1";
    facts.publisher = "Port Halcyon";
    facts.licence = "MIT";
    facts.components = {
        {"sea_chart", "1.0", "package", "MIT", "", "pkg:pypi/sea-chart@1.0", "https://chart.example", "", ""},
        {"sea-chart", "1.0", "package", "", "", "", "", "", ""},
        {"bell", "3", "package", "LicenseRef-harbour AND (MIT OR LicenseRef-bell)", "", "pkg:npm/bell@3", "",
         "", ""},
        {"bell", "3", "package", "MIT", "", "pkg:npm/bell@3", "", "", ""},
        {"cpython", "3.11", "runtime", "PSF-2.0", "", "", "no page", "", ""},
        {"omnistasis", "", "launcher", "Apache-2.0", "", "", "", "", ""}};
    for (const char* owner : {"", "sea_chart", "bell"}) {
        facts.graph.units.push_back({trace::UnitKind::code, owner, "", "", false, false});
        facts.pieces.push_back(
            {owner, "module", owner, "", 10, 5, static_cast<trace::UnitId>(facts.graph.units.size() - 1)});
    }
    facts.graph.edges = {{0, 1, {"imports", "", 1, false}}, {1, 2, {"imports", "", 2, false}}};
    return facts;
}

} // namespace

TEST_CASE("SPDX: each component has an identifier of its own, and relations lead to those") {
    auto spdx = parse_json(report::spdx_json(board(), "ab12", "0.1", "2026-11-29T10:20:30Z"));
    std::set<std::string> ids{"SPDXRef-DOCUMENT"};
    for (const Json& one : spdx["packages"]) {
        std::string id = one["SPDXID"];
        INFO(id);
        CHECK(ids.insert(id).second);
        CHECK(id.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789.-") ==
              std::string::npos);
        CHECK(one["name"] != "omnistasis");
    }
    CHECK(spdx["packages"].size() == 6);
    std::set<std::string> depends;
    for (const Json& one : spdx["relationships"]) {
        CHECK(ids.contains(one["spdxElementId"]));
        CHECK(ids.contains(one["relatedSpdxElement"]));
        if (one["relationshipType"] == "DEPENDS_ON")
            depends.insert(one["spdxElementId"].get<std::string>() + " " +
                           one["relatedSpdxElement"].get<std::string>());
    }
    CHECK(depends == std::set<std::string>{"SPDXRef-Application SPDXRef-Package-sea-chart-1.0",
                                           "SPDXRef-Package-sea-chart-1.0 SPDXRef-Package-bell-3"});
    std::set<std::string> licences;
    for (const Json& one : spdx["hasExtractedLicensingInfos"])
        licences.insert(one["licenseId"].get<std::string>());
    CHECK(licences == std::set<std::string>{"LicenseRef-harbour", "LicenseRef-bell"});
    CHECK(spdx["documentNamespace"].get<std::string>().find(' ') == std::string::npos);
    CHECK(spdx["packages"][2]["licenseConcluded"] == "NOASSERTION");
}

TEST_CASE("CycloneDX: references are there once, and the same facts give the same serial number") {
    report::Facts facts = board();
    std::string text = report::cyclonedx_json(facts, "ab12", "0.1");
    CHECK(text == report::cyclonedx_json(facts, "ab12", "0.1"));
    auto bill = parse_json(text);
    CHECK(bill["serialNumber"] != parse_json(report::cyclonedx_json(facts, "cd34", "0.1"))["serialNumber"]);
    std::set<std::string> references{"application"};
    for (const Json& one : bill["components"])
        CHECK(references.insert(one["bom-ref"].get<std::string>()).second);
    CHECK(references.size() == 6);
    for (const Json& one : bill["dependencies"]) {
        CHECK(references.contains(one["ref"]));
        for (const Json& on : one["dependsOn"]) CHECK(references.contains(on));
    }
    CHECK(bill["dependencies"][0]["dependsOn"] == Json::array({"pkg:pypi/sea-chart@1.0"}));
    CHECK_FALSE(bill["components"][4].contains("externalReferences")); // its page is no address
    // Without a graph all is the application's.
    facts.graph = {};
    bill = parse_json(report::cyclonedx_json(facts, "", "0.1"));
    CHECK(bill["dependencies"][0]["dependsOn"].size() == 5);
}

TEST_CASE("the record of builds begins anew where it can't be read, and keeps the last two hundred") {
    report::HistoryEntry entry{"2.1", "2026-11-29 10:20", 1000, 3000, 5, 2, 1};
    for (const char* damaged : {"", "[1]", R"({"format": "x"})", R"({"format": 2, "builds": []})",
                                R"({"format": 1, "builds": {}})", "{\"format\": 1, \"builds\": ["}) {
        INFO(damaged);
        report::Facts facts;
        report::take_history(facts, report::history_with(damaged, entry, std::nullopt));
        REQUIRE(facts.history.size() == 1);
        CHECK(facts.history[0].size == 1000);
        CHECK(facts.missing.empty());
    }
    std::string text;
    for (std::uint64_t i = 0; i < 203; ++i) {
        entry.size = i;
        text = report::history_with(text, entry, std::nullopt);
    }
    report::Facts facts;
    report::take_history(facts, text);
    REQUIRE(facts.history.size() == 200);
    CHECK(facts.history.front().size == 3);
    report::take_history(facts = {}, R"({"format": 1, "builds": [{"when": 3}]})");
    CHECK(facts.history.empty());
    CHECK(facts.missing.size() == 1);
}

TEST_CASE("fields of a file that somebody changed are as they should be, or not there") {
    auto json = parse_json(R"({"text": "tide", "number": 7, "part": 0.5, "yes": true, "list": [1]})");
    CHECK(field_or(json, "text", "") == "tide");
    CHECK(field_or(json, "number", "none") == "none");
    CHECK(field_or(json, "number", 0u) == 7);
    CHECK(field_or(json, "part", 3) == 3);
    CHECK(field_or(json, "part", 0.0) == 0.5);
    CHECK(field_or(json, "yes", false));
    CHECK(field_or(json, "text", true));
    CHECK(field_or(json, "list", Json::array()).size() == 1);
    CHECK(field_or(json, "text", Json::array()).empty());
    CHECK(field_or(json, "nowhere", "none") == "none");
    CHECK(field_or(Json(3), "text", "none") == "none");
}
