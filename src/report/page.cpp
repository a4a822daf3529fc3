#include "report/page.h"

#include "report/tables.h"
#include "support/text.h"
#include "trace/why.h"

#include <map>

namespace omnistasis::report {

namespace {

/// The chains of reasons: each unit's name, and the unit and words of the reason that leads to it. Texts that
/// many share stand once.
Json reasons_json(const Facts& facts) {
    trace::Reasons reasons(facts.graph);
    const auto& units = facts.graph.units;
    std::vector<std::string> names, texts;
    std::map<std::string, std::size_t> known;
    std::vector<long> by(units.size(), -1);
    std::vector<std::size_t> verbs(units.size()), files(units.size());
    std::vector<std::uint32_t> lines(units.size());
    auto number_of = [&](const std::string& value) {
        auto [entry, is_new] = known.try_emplace(value, texts.size());
        if (is_new) texts.push_back(value);
        return entry->second;
    };
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        names.push_back(units[id].name);
        const trace::Edge* edge = reasons.last_edge(id);
        if (edge == nullptr) continue;
        by[id] = edge->from;
        verbs[id] = number_of(edge->reason.verb);
        files[id] = number_of(shown(facts, edge->reason.file));
        lines[id] = edge->reason.line;
    }
    return {{"names", names}, {"texts", texts}, {"by", by},
            {"verbs", verbs}, {"files", files}, {"lines", lines}};
}

} // namespace

std::string report_page(const Facts& facts, std::string page) {
    Json json = facts_as_json(facts);
    json["figures"] = {{"size-map", facts.size_svg},
                       {"imports", facts.import_svg},
                       {"libraries", facts.library_svg},
                       {"start", facts.start_svg},
                       {"history", facts.history_svg}};
    json["reasons"] = reasons_json(facts);
    // Nothing in the JSON may end the element that holds it.
    std::string text = json_ascii_line(json);
    replace_all(text, "<", "\\u003c");
    replace_all(page, "{facts}", text);
    return page;
}

} // namespace omnistasis::report
