#include "report/bill_of_materials.h"

#include "support/hash.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>
#include <functional>
#include <map>
#include <set>
#include <unordered_map>

namespace omnistasis::report {

namespace {

std::string text_of(const Json& json) { return json_lines(json); }

/// A UUID made of a hash (RFC 9562, version 8): the same inputs give the same one.
std::string uuid_of(const std::string& subject) {
    std::string digits = hex(sha256(subject)).substr(0, 32);
    digits[12] = '8';
    digits[16] = "89ab"[static_cast<unsigned char>(digits[16]) % 4];
    return digits.substr(0, 8) + "-" + digits.substr(8, 4) + "-" + digits.substr(12, 4) + "-" +
           digits.substr(16, 4) + "-" + digits.substr(20);
}

/// What the components are called inside of a document, by number: `name_of` where that is not taken already.
std::vector<std::string> unique_names(const Facts& facts,
                                      const std::function<std::string(const ComponentFacts&)>& name_of) {
    std::vector<std::string> names;
    std::set<std::string> taken;
    for (const ComponentFacts& component : facts.components) {
        std::string wanted = name_of(component), name = wanted;
        for (int copy = 2; !taken.insert(name).second; ++copy) name = fmt::format("{}-{}", wanted, copy);
        names.push_back(name);
    }
    return names;
}

/// With nothing in it but what identifiers of SPDX, and parts of an URI, may have.
std::string plain(const std::string& text) {
    std::string result = text;
    for (char& c : result)
        if (std::isalnum(static_cast<unsigned char>(c)) == 0 && c != '.') c = '-';
    return result;
}

/// Which components need which, out of the graph: the index into `facts.components`; own units are the
/// application.
std::map<std::size_t, std::set<std::size_t>> dependencies_of(const Facts& facts) {
    constexpr std::size_t application = ~std::size_t(0);
    std::map<std::string, std::size_t> by_name;
    for (std::size_t i = 0; i < facts.components.size(); ++i) by_name.emplace(facts.components[i].name, i);
    std::unordered_map<trace::UnitId, std::size_t> of_unit;
    for (const Piece& piece : facts.pieces) {
        if (!piece.unit) continue;
        auto owner = by_name.find(piece.owner);
        of_unit.emplace(*piece.unit,
                        piece.owner.empty() || owner == by_name.end() ? application : owner->second);
    }
    std::map<std::size_t, std::set<std::size_t>> needs;
    for (const trace::Edge& edge : facts.graph.edges) {
        auto from = of_unit.find(edge.from), to = of_unit.find(edge.to);
        if (from != of_unit.end() && to != of_unit.end() && from->second != to->second &&
            to->second != application)
            needs[from->second].insert(to->second);
    }
    // Without a graph all is the application's.
    if (facts.graph.edges.empty())
        for (std::size_t i = 0; i < facts.components.size(); ++i) needs[application].insert(i);
    return needs;
}

bool is_listed(const ComponentFacts& component) { return component.kind != "launcher"; }

} // namespace

std::string cyclonedx_json(const Facts& facts, const std::string& output_hash,
                           const std::string& tool_version) {
    std::vector<std::string> references = unique_names(
        facts, [](const ComponentFacts& one) { return one.url.empty() ? "part:" + one.name : one.url; });
    Json json;
    json["$schema"] = "http://cyclonedx.org/schema/bom-1.5.schema.json";
    json["bomFormat"] = "CycloneDX";
    json["specVersion"] = "1.5";
    json["serialNumber"] = "urn:uuid:" + uuid_of(facts.name + facts.version + facts.target + output_hash);
    json["version"] = 1;
    json["metadata"]["tools"]["components"] =
        Json::array({Json{{"type", "application"}, {"name", "omnistasis"}, {"version", tool_version}}});
    Json main{{"type", "application"}, {"bom-ref", "application"}, {"name", facts.name}};
    if (!facts.version.empty()) main["version"] = facts.version;
    if (!facts.publisher.empty()) main["publisher"] = facts.publisher;
    if (!facts.summary.empty()) main["description"] = facts.summary;
    if (!facts.licence.empty()) main["licenses"] = Json::array({Json{{"expression", facts.licence}}});
    if (!output_hash.empty())
        main["hashes"] = Json::array({Json{{"alg", "SHA-256"}, {"content", output_hash}}});
    json["metadata"]["component"] = std::move(main);
    json["components"] = Json::array();
    for (std::size_t i = 0; i < facts.components.size(); ++i) {
        const ComponentFacts& one = facts.components[i];
        if (!is_listed(one)) continue;
        Json component{{"type", one.kind == "runtime" ? "platform" : "library"},
                       {"bom-ref", references[i]},
                       {"name", one.name}};
        if (!one.version.empty()) component["version"] = one.version;
        if (!one.licence.empty()) component["licenses"] = Json::array({Json{{"expression", one.licence}}});
        if (!one.url.empty()) component["purl"] = one.url;
        if (one.homepage.starts_with("http"))
            component["externalReferences"] = Json::array({Json{{"type", "website"}, {"url", one.homepage}}});
        component["properties"] =
            Json::array({Json{{"name", "omnistasis:bytes"}, {"value", std::to_string(one.stored)}}});
        json["components"].push_back(std::move(component));
    }
    json["dependencies"] = Json::array();
    auto needs = dependencies_of(facts);
    auto add = [&](const std::string& reference, const std::set<std::size_t>& on) {
        Json list = Json::array();
        for (std::size_t index : on)
            if (is_listed(facts.components[index])) list.push_back(references[index]);
        json["dependencies"].push_back({{"ref", reference}, {"dependsOn", std::move(list)}});
    };
    add("application", needs[~std::size_t(0)]);
    for (std::size_t i = 0; i < facts.components.size(); ++i)
        if (is_listed(facts.components[i])) add(references[i], needs[i]);
    return text_of(json);
}

std::string spdx_json(const Facts& facts, const std::string& output_hash, const std::string& tool_version,
                      const std::string& created) {
    std::vector<std::string> ids = unique_names(facts, [](const ComponentFacts& one) {
        return "SPDXRef-Package-" + plain(one.version.empty() ? one.name : one.name + "-" + one.version);
    });
    auto licence_of = [](const std::string& licence) {
        return licence.empty() ? std::string("NOASSERTION") : licence;
    };
    Json json;
    json["spdxVersion"] = "SPDX-2.3";
    json["dataLicense"] = "CC0-1.0";
    json["SPDXID"] = "SPDXRef-DOCUMENT";
    json["name"] = facts.name;
    json["documentNamespace"] = "https://spdx.org/spdxdocs/" + plain(facts.name) + "-" +
                                uuid_of(facts.name + facts.version + facts.target + output_hash);
    json["creationInfo"] = {{"created", created}, {"creators", {"Tool: omnistasis-" + tool_version}}};
    json["packages"] = Json::array();
    Json main{{"SPDXID", "SPDXRef-Application"},
              {"name", facts.name},
              {"downloadLocation", "NOASSERTION"},
              {"filesAnalyzed", false},
              {"licenseConcluded", licence_of(facts.licence)},
              {"licenseDeclared", licence_of(facts.licence)},
              {"copyrightText", "NOASSERTION"},
              {"primaryPackagePurpose", "APPLICATION"}};
    if (!facts.version.empty()) main["versionInfo"] = facts.version;
    if (!facts.publisher.empty()) main["supplier"] = "Organization: " + facts.publisher;
    if (!output_hash.empty())
        main["checksums"] = Json::array({Json{{"algorithm", "SHA256"}, {"checksumValue", output_hash}}});
    json["packages"].push_back(std::move(main));
    Json relations = Json::array();
    relations.push_back({{"spdxElementId", "SPDXRef-DOCUMENT"},
                         {"relationshipType", "DESCRIBES"},
                         {"relatedSpdxElement", "SPDXRef-Application"}});
    std::set<std::string> references;
    for (std::size_t i = 0; i < facts.components.size(); ++i) {
        const ComponentFacts& one = facts.components[i];
        if (!is_listed(one)) continue;
        for (std::size_t at = one.licence.find("LicenseRef-"); at != std::string::npos;
             at = one.licence.find("LicenseRef-", at + 1))
            references.insert(one.licence.substr(at, one.licence.find_first_of(" )", at) - at));
        Json package{{"SPDXID", ids[i]},
                     {"name", one.name},
                     {"downloadLocation", "NOASSERTION"},
                     {"filesAnalyzed", false},
                     {"licenseConcluded", licence_of(one.licence)},
                     {"licenseDeclared", licence_of(one.licence)},
                     {"copyrightText", "NOASSERTION"}};
        if (!one.version.empty()) package["versionInfo"] = one.version;
        if (one.homepage.starts_with("http")) package["homepage"] = one.homepage;
        if (!one.url.empty())
            package["externalRefs"] = Json::array({Json{{"referenceCategory", "PACKAGE-MANAGER"},
                                                        {"referenceType", "purl"},
                                                        {"referenceLocator", one.url}}});
        json["packages"].push_back(std::move(package));
        relations.push_back({{"spdxElementId", "SPDXRef-Application"},
                             {"relationshipType", "CONTAINS"},
                             {"relatedSpdxElement", ids[i]}});
    }
    for (const auto& [from, to] : dependencies_of(facts)) {
        bool application = from == ~std::size_t(0);
        if (!application && !is_listed(facts.components[from])) continue;
        for (std::size_t index : to)
            if (is_listed(facts.components[index]))
                relations.push_back({{"spdxElementId", application ? "SPDXRef-Application" : ids[from]},
                                     {"relationshipType", "DEPENDS_ON"},
                                     {"relatedSpdxElement", ids[index]}});
    }
    if (!references.empty()) {
        json["hasExtractedLicensingInfos"] = Json::array();
        for (const std::string& reference : references)
            json["hasExtractedLicensingInfos"].push_back(
                {{"licenseId", reference},
                 {"extractedText", "The text is in the notice file that goes along with the application."}});
    }
    json["relationships"] = std::move(relations);
    return text_of(json);
}

} // namespace omnistasis::report
