#include "report/proof_json.h"

#include "support/json.h"

#include <algorithm>
#include <cmath>

namespace omnistasis::report {

std::string proof_json(const std::string& output, const std::vector<watch::Proof>& proofs) {
    Json json{{"format", 1},
              {"output", output},
              {"holds", std::ranges::all_of(proofs, &watch::Proof::holds)},
              {"runs", Json::array()}};
    for (const watch::Proof& proof : proofs) {
        Json run{{"name", proof.name},
                 {"arguments", proof.arguments},
                 {"holds", proof.holds()},
                 {"exit_code", proof.exit_code},
                 {"seconds", std::round(proof.seconds * 1000) / 1000},
                 {"compared_with_source", proof.compared}};
        if (!proof.window.empty()) run["window"] = proof.window;
        if (!proof.by.empty()) run["run_by"] = proof.by;
        if (!proof.limits.empty()) run["limits"] = proof.limits;
        if (!proof.blind.empty()) run["not_watched"] = proof.blind;
        run["findings"] = Json::array();
        for (const watch::ProofFinding& finding : proof.findings) {
            Json one{
                {"kind", watch::word_of(finding.kind)}, {"what", finding.what}, {"fails", finding.fails}};
            for (auto [key, value] :
                 {std::pair("found", &finding.found), {"from", &finding.from}, {"advice", &finding.advice}})
                if (!value->empty()) one[key] = *value;
            run["findings"].push_back(std::move(one));
        }
        run["host_libraries"] = proof.host_libraries;
        run["system_files"] = proof.system_files;
        run["programs"] = proof.programs;
        run["tree"] = {{"files", proof.tree_files}, {"bytes", proof.tree_size}};
        run["untouched"] = Json::array();
        for (const auto& [place, size] : proof.untouched)
            run["untouched"].push_back({{"place", place}, {"bytes", size}});
        json["runs"].push_back(std::move(run));
    }
    return json_lines(json);
}

} // namespace omnistasis::report
