#include "report/trace_json.h"

#include <string_view>
#include <unordered_map>

#include <nlohmann/json.hpp>

namespace omnistasis::report {

using Json = nlohmann::ordered_json;

std::string trace_json(const trace::Graph& graph, const std::string& target, const std::string& runtime) {
    Json json;
    json["format"] = 1;
    json["target"] = target;
    json["runtime"] = runtime;
    json["units"] = Json::array();
    for (const trace::Unit& unit : graph.units) {
        Json one;
        one["name"] = unit.name;
        one["kind"] = trace::kind_name(unit.kind);
        if (!unit.file.empty()) one["file"] = unit.file;
        if (!unit.place.empty()) one["place"] = unit.place;
        if (unit.own) one["own"] = true;
        json["units"].push_back(std::move(one));
    }
    json["roots"] = graph.roots;
    // Files stand on many edges; each is written once.
    std::unordered_map<std::string_view, std::size_t> numbers;
    json["files"] = Json::array();
    json["edges"] = Json::array();
    for (const trace::Edge& edge : graph.edges) {
        Json one{{"from", edge.from}, {"to", edge.to}, {"verb", edge.reason.verb}};
        if (!edge.reason.file.empty()) {
            auto [entry, is_new] = numbers.try_emplace(edge.reason.file, numbers.size());
            if (is_new) json["files"].push_back(edge.reason.file);
            one["file"] = entry->second;
        }
        if (edge.reason.line != 0) one["line"] = edge.reason.line;
        if (edge.reason.optional) one["optional"] = true;
        json["edges"].push_back(std::move(one));
    }
    json["loose_ends"] = Json::array();
    for (const trace::LooseEnd& end : graph.loose_ends)
        json["loose_ends"].push_back(
            {{"kind", end.kind}, {"what", end.what}, {"file", end.file}, {"line", end.line}, {"effect", end.effect}, {"advice", end.advice}});
    json["absent"] = Json::array();
    for (const trace::Absent& absent : graph.absent)
        json["absent"].push_back({{"name", absent.name}, {"file", absent.file}, {"line", absent.line}});
    // Paths of this machine may hold bytes that are no UTF-8.
    return json.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n";
}

} // namespace omnistasis::report
