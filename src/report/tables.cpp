#include "report/tables.h"

#include "trace/why.h"

#include <fmt/format.h>

namespace omnistasis::report {

namespace {

/// A field of a CSV file. One that a table program would take for a formula gets a quote in front, which such
/// programs do not show.
std::string field(std::string text) {
    if (!text.empty() && std::string_view("=+-@\t").find(text.front()) != std::string_view::npos)
        text.insert(0, 1, '\'');
    if (text.find_first_of(",\"\n\r") == std::string::npos) return text;
    std::string out = "\"";
    for (char c : text) {
        if (c == '"') out += '"';
        out += c;
    }
    return out + "\"";
}

} // namespace

Json facts_as_json(const Facts& facts) {
    trace::Reasons reasons(facts.graph);
    Json json{{"format", 1},
              {"name", facts.name},
              {"title", facts.title},
              {"version", facts.version},
              {"summary", facts.summary},
              {"target", facts.target},
              {"form", facts.form},
              {"mode", facts.mode},
              {"runtime", facts.runtime},
              {"output", facts.output},
              {"bytes", facts.output_size},
              {"tree", {{"bytes", facts.tree_size}, {"files", facts.tree_files}}},
              {"oldest_system", facts.oldest_system},
              {"known_systems", facts.known_systems},
              {"sets_the_bar", facts.sets_the_bar},
              {"host_libraries", facts.host_libraries}};
    json["components"] = Json::array();
    for (const ComponentFacts& one : facts.components)
        json["components"].push_back({{"name", one.name},
                                      {"version", one.version},
                                      {"kind", one.kind},
                                      {"licence", one.licence},
                                      {"said_by", one.said_by},
                                      {"family", one.family},
                                      {"asks", one.asks},
                                      {"bytes", one.raw},
                                      {"stored", one.stored},
                                      {"url", one.url}});
    json["pieces"] = Json::array();
    for (const Piece& piece : facts.pieces) {
        Json one{{"name", piece.name},   {"kind", piece.kind}, {"component", piece.owner},
                 {"place", piece.place}, {"bytes", piece.raw}, {"stored", piece.stored}};
        if (piece.unit) {
            one["unit"] = *piece.unit;
            if (const trace::Edge* edge = reasons.last_edge(*piece.unit))
                one["why"] = {{"by", facts.graph.units[edge->from].name},
                              {"verb", edge->reason.verb},
                              {"file", shown(facts, edge->reason.file)},
                              {"line", edge->reason.line}};
        }
        json["pieces"].push_back(std::move(one));
    }
    json["traced"] = !facts.graph.units.empty();
    json["loose_ends"] = Json::array();
    for (const trace::LooseEnd& end : facts.graph.loose_ends)
        json["loose_ends"].push_back({{"kind", end.kind},
                                      {"what", end.what},
                                      {"file", shown(facts, end.file)},
                                      {"line", end.line},
                                      {"effect", end.effect},
                                      {"advice", end.advice},
                                      {"minor", end.minor}});
    if (facts.review) {
        json["findings"] = Json::array();
        for (const review::Finding& one : facts.review->findings)
            json["findings"].push_back({{"kind", one.kind},
                                        {"what", one.what},
                                        {"file", shown(facts, one.file)},
                                        {"line", one.line},
                                        {"excerpt", one.excerpt},
                                        {"stops_builds", one.is_credential && one.allowed.empty()},
                                        {"allowed", one.allowed}});
        json["variables"] = Json::array();
        for (const review::ReadVariable& one : facts.review->variables)
            json["variables"].push_back(
                {{"name", one.name}, {"file", shown(facts, one.file)}, {"line", one.line}});
        json["refused"] = Json::array();
        for (const review::Refused& one : facts.review->refused)
            json["refused"].push_back(
                {{"component", one.component}, {"licence", one.licence}, {"rule", one.rule}});
        json["idle_rules"] = facts.review->idle_rules;
    }
    json["state"] = Json::array();
    for (const payload::StatePath& state : facts.state)
        json["state"].push_back({{"place", state.place},
                                 {"path", facts.name + "/" + state.path},
                                 {"is_folder", state.is_folder}});
    json["proof"] = Json(facts.proof);
    json["profile"] = Json(facts.profile);
    json["changes"] = Json(facts.changes);
    json["history"] = Json::array();
    for (const HistoryEntry& one : facts.history)
        json["history"].push_back({{"when", one.when},
                                   {"version", one.version},
                                   {"bytes", one.size},
                                   {"tree", one.tree_size},
                                   {"modules", one.modules},
                                   {"libraries", one.libraries},
                                   {"data_files", one.data_files}});
    json["missing"] = facts.missing;
    return json;
}

std::string facts_json(const Facts& facts) { return json_lines(facts_as_json(facts)); }

std::string pieces_csv(const Facts& facts) {
    trace::Reasons reasons(facts.graph);
    std::string out = "name,kind,component,place,bytes,stored,why,by,file,line\r\n";
    for (const Piece& piece : facts.pieces) {
        const trace::Edge* edge = piece.unit ? reasons.last_edge(*piece.unit) : nullptr;
        out += fmt::format(
            "{},{},{},{},{},{},{},{},{},{}\r\n", field(piece.name), field(piece.kind), field(piece.owner),
            field(piece.place), piece.raw, piece.stored, edge == nullptr ? "" : field(edge->reason.verb),
            edge == nullptr ? "" : field(facts.graph.units[edge->from].name),
            edge == nullptr ? "" : field(shown(facts, edge->reason.file)),
            edge == nullptr || edge->reason.line == 0 ? "" : std::to_string(edge->reason.line));
    }
    return out;
}

std::string components_csv(const Facts& facts) {
    std::string out = "name,version,kind,licence,asks,bytes,stored,url\r\n";
    for (const ComponentFacts& one : facts.components)
        out += fmt::format("{},{},{},{},{},{},{},{}\r\n", field(one.name), field(one.version), one.kind,
                           field(one.licence), field(one.asks), one.raw, one.stored, field(one.url));
    return out;
}

} // namespace omnistasis::report
