#include "report/trace_json.h"

#include "support/json.h"

#include <algorithm>
#include <fmt/format.h>
#include <iterator>
#include <map>
#include <string_view>
#include <unordered_map>

namespace omnistasis::report {

namespace {

/// A JSON string. Paths of this machine may hold bytes that are no UTF-8.
std::string quoted(const std::string& text) {
    bool plain =
        std::ranges::all_of(text, [](char c) { return c >= 0x20 && c < 0x7f && c != '"' && c != '\\'; });
    if (plain) return '"' + text + '"';
    return json_line(Json(text));
}

std::string& append(const char* label, std::string& out, std::size_t number) {
    out += label;
    out += fmt::format_int(number).c_str();
    return out;
}

/// Writes the members of a list, one a line.
class ListWriter {
  public:
    ListWriter(std::string& out, const char* name) : out_(out) {
        fmt::format_to(std::back_inserter(out_), ",\n\"{}\": [", name);
    }
    ~ListWriter() { out_ += "\n]"; }
    std::back_insert_iterator<std::string> next() {
        out_ += first_ ? "\n " : ",\n ";
        first_ = false;
        return std::back_inserter(out_);
    }

  private:
    std::string& out_;
    bool first_ = true;
};

} // namespace

// Written piece by piece: a tree of values for a graph of ten thousand edges takes longer to make than the
// graph.
std::string trace_json(const trace::Graph& graph, const TraceSubject& subject) {
    std::string out = fmt::format("{{\n\"format\": 1,\n\"target\": {},\n\"runtime\": {},\n\"project\": "
                                  "{{\"entry\": {}, \"name\": {}, \"runtime\": {}}}",
                                  quoted(subject.target), quoted(subject.runtime), quoted(subject.entry),
                                  quoted(subject.name), quoted(subject.runtime_home));
    {
        ListWriter units(out, "units");
        for (const trace::Unit& unit : graph.units) {
            fmt::format_to(units.next(), "{{\"name\": {}, \"kind\": \"{}\"", quoted(unit.name),
                           trace::kind_name(unit.kind));
            if (!unit.file.empty()) out += ", \"file\": " + quoted(unit.file);
            if (unit.member) out += ", \"member\": " + quoted(unit.member->name);
            if (!unit.place.empty()) out += ", \"place\": " + quoted(unit.place);
            out += unit.own ? ", \"own\": true}" : "}";
        }
    }
    {
        ListWriter roots(out, "roots");
        for (trace::UnitId root : graph.roots) fmt::format_to(roots.next(), "{}", root);
    }
    // Files and verbs stand on many edges; each is written, or quoted, once.
    std::unordered_map<std::string_view, std::size_t> numbers;
    std::unordered_map<std::string_view, std::string> verbs;
    {
        ListWriter files(out, "files");
        for (const trace::Edge& edge : graph.edges) {
            verbs.try_emplace(edge.reason.verb, "");
            if (!edge.reason.file.empty() && numbers.try_emplace(edge.reason.file, numbers.size()).second)
                fmt::format_to(files.next(), "{}", quoted(edge.reason.file));
        }
    }
    for (auto& [verb, text] : verbs) text = quoted(std::string(verb));
    {
        ListWriter edges(out, "edges");
        for (const trace::Edge& edge : graph.edges) {
            edges.next();
            append(", \"to\": ", append("{\"from\": ", out, edge.from), edge.to);
            out += ", \"verb\": ";
            out += verbs[edge.reason.verb];
            if (!edge.reason.file.empty()) append(", \"file\": ", out, numbers[edge.reason.file]);
            if (edge.reason.line != 0) append(", \"line\": ", out, edge.reason.line);
            out += edge.reason.optional ? ", \"optional\": true}" : "}";
        }
    }
    {
        ListWriter ends(out, "loose_ends");
        for (const trace::LooseEnd& end : graph.loose_ends)
            fmt::format_to(ends.next(),
                           "{{\"kind\": {}, \"what\": {}, \"file\": {}, \"line\": {}, \"effect\": {}, "
                           "\"advice\": {}{}}}",
                           quoted(end.kind), quoted(end.what), quoted(end.file), end.line, quoted(end.effect),
                           quoted(end.advice), end.minor ? ", \"minor\": true" : "");
    }
    {
        ListWriter absent(out, "absent");
        for (const trace::Absent& one : graph.absent)
            fmt::format_to(absent.next(), "{{\"name\": {}, \"file\": {}, \"line\": {}}}", quoted(one.name),
                           quoted(one.file), one.line);
    }
    {
        ListWriter left_out(out, "left_out");
        for (const trace::LeftOut& one : graph.left_out)
            fmt::format_to(left_out.next(), "{{\"name\": {}, \"file\": {}, \"line\": {}}}", quoted(one.name),
                           quoted(one.file), one.line);
    }
    {
        ListWriter not_carried(out, "not_carried");
        for (const std::string& name : graph.not_carried)
            fmt::format_to(not_carried.next(), "{}", quoted(name));
    }
    return out + "\n}\n";
}

Result<trace::Graph> graph_from_trace_json(const std::string& text, const std::string& name) {
    auto broken = [&](const std::string& why) {
        return fail(ErrorKind::bad_input, "the record of the trace can't be read", name, why,
                    "build or trace again");
    };
    static const std::map<std::string, trace::UnitKind> kinds = [] {
        std::map<std::string, trace::UnitKind> all;
        for (int kind = 0; kind <= static_cast<int>(trace::UnitKind::script); ++kind) {
            auto one = static_cast<trace::UnitKind>(kind);
            all.emplace(trace::kind_name(one), one);
        }
        return all;
    }();
    Json json = parse_json(text);
    if (!json.is_object()) return broken("it is no JSON object");
    trace::Graph graph;
    try {
        if (json.at("format") != 1) return broken("it is of a newer format");
        for (const auto& one : json.at("units")) {
            auto kind = kinds.find(one.at("kind"));
            if (kind == kinds.end()) return broken("a kind of unit is not known");
            graph.units.push_back({kind->second, one.at("name"), one.value("file", ""),
                                   one.value("place", ""), one.value("own", false), false});
        }
        for (const auto& one : json.at("roots")) graph.roots.push_back(one);
        const auto& files = json.at("files");
        for (const auto& one : json.at("edges")) {
            trace::Edge edge{
                one.at("from"), one.at("to"), {one.at("verb"), "", 0, one.value("optional", false)}};
            if (one.contains("file")) edge.reason.file = files.at(one.at("file").get<std::size_t>());
            edge.reason.line = one.value("line", 0u);
            graph.edges.push_back(std::move(edge));
        }
        for (const auto& one : json.at("loose_ends"))
            graph.loose_ends.push_back({.kind = one.at("kind"),
                                        .what = one.at("what"),
                                        .file = one.at("file"),
                                        .line = one.at("line"),
                                        .effect = one.at("effect"),
                                        .advice = one.at("advice"),
                                        .minor = one.value("minor", false)});
    } catch (const Json::exception& error) {
        return broken(error.what());
    }
    auto is_unit = [&](trace::UnitId id) { return id < graph.units.size(); };
    bool sound = std::ranges::all_of(graph.roots, is_unit) &&
                 std::ranges::all_of(graph.edges,
                                     [&](const trace::Edge& e) { return is_unit(e.from) && is_unit(e.to); });
    if (!sound) return broken("it names units that are not in it");
    return graph;
}

} // namespace omnistasis::report
