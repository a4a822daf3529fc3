#include "report/history.h"

#include "support/json_field.h"

#include <cstdlib>
#include <ctime>
#include <fmt/chrono.h>
#include <fmt/format.h>

namespace omnistasis::report {

namespace {

constexpr std::size_t most_entries = 200;
constexpr std::size_t most_differences = 2000;

} // namespace

std::string point_in_time() {
    std::time_t time = std::time(nullptr);
    if (const char* epoch = std::getenv("SOURCE_DATE_EPOCH")) time = std::strtoll(epoch, nullptr, 10);
    return fmt::format("{:%Y-%m-%dT%H:%M:%SZ}", fmt::gmtime(time));
}

std::string history_with(const std::string& text, const HistoryEntry& entry,
                         const std::optional<Comparison>& changes) {
    Json json = parse_json(text);
    bool usable = field_or(json, "format", 0) == 1 && json.contains("builds") && json["builds"].is_array();
    if (!usable) json = Json{{"format", 1}, {"builds", Json::array()}};
    json["builds"].push_back({{"when", entry.when},
                              {"version", entry.version},
                              {"bytes", entry.size},
                              {"tree", entry.tree_size},
                              {"modules", entry.modules},
                              {"libraries", entry.libraries},
                              {"data_files", entry.data_files}});
    while (json["builds"].size() > most_entries) json["builds"].erase(json["builds"].begin());
    if (changes) {
        Json compared = parse_json(comparison_json(*changes));
        Json& list = compared["differences"];
        while (list.size() > most_differences) list.erase(list.size() - 1);
        json["changes"] = std::move(compared);
    }
    return json_lines(json);
}

void take_history(Facts& facts, const std::string& text) {
    Json json = parse_json(text);
    try {
        if (!json.is_object() || json.at("format") != 1) return;
        for (const auto& one : json.at("builds"))
            facts.history.push_back({one.at("version"), one.at("when"), one.at("bytes"), one.at("tree"),
                                     one.at("modules"), one.at("libraries"), one.at("data_files")});
        if (json.contains("changes")) facts.changes = json["changes"];
    } catch (const Json::exception&) {
        facts.history.clear();
        facts.missing.push_back("The record of earlier builds is damaged; the next build begins a new one.");
    }
}

} // namespace omnistasis::report
