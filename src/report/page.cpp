#include "report/page.h"

#include "drawing/drawing.h"
#include "report/page_parts.h"
#include "support/json_field.h"
#include "support/size_text.h"
#include "support/text.h"
#include "trace/why.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <numeric>

namespace omnistasis::report {

namespace {

std::string text(const std::string& value) { return xml_text(value); }

std::string count(std::size_t number, const char* one, const char* many) {
    return fmt::format("{} {}", number, number == 1 ? one : many);
}

std::string at(const Facts& facts, const std::string& file, std::uint32_t line) {
    if (file.empty()) return {};
    std::string place = shown(facts, file);
    return line == 0 ? place : fmt::format("{}:{}", place, line);
}

std::string row(std::initializer_list<std::string> cells) {
    std::string out = "<tr>";
    for (const std::string& cell : cells) out += cell;
    return out + "</tr>\n";
}
std::string cell(const std::string& html) { return "<td>" + html + "</td>"; }
std::string head(const std::string& html) { return "<th scope=\"row\">" + html + "</th>"; }
std::string number(const std::string& html) { return "<td class=\"n\">" + html + "</td>"; }

std::string table(const std::string& caption, std::initializer_list<std::pair<const char*, bool>> columns,
                  const std::string& rows, const std::string& id = "") {
    std::string out =
        fmt::format("<div class=\"scroll\" tabindex=\"0\" role=\"region\" aria-label=\"{0}\"><table{1}>"
                    "<caption>{0}</caption><thead><tr>",
                    text(caption), id.empty() ? "" : fmt::format(" id=\"{}\"", id));
    for (const auto& [name, right] : columns)
        out += fmt::format("<th scope=\"col\"{}>{}</th>", right ? " class=\"n\"" : "", name);
    return out + "</tr></thead><tbody>\n" + rows + "</tbody></table></div>\n";
}

/// A figure in the page. Marks inside of it get names of their own, as several figures have the same.
std::string figure(std::string svg, const std::string& caption, const std::string& name) {
    if (svg.empty()) return {};
    replace_all(svg, "id=\"arrow\"", "id=\"arrow-" + name + "\"");
    replace_all(svg, "url(#arrow)", "url(#arrow-" + name + ")");
    if (std::size_t style = svg.find("<style>"); style != std::string::npos)
        svg.erase(style, svg.find("</style>") + 8 - style);
    return fmt::format(
        "<figure><div class=\"scroll picture\" tabindex=\"0\" role=\"region\" aria-label=\"{}\">{}</div>"
        "<figcaption>{} Also as <code>{}.svg</code> and <code>{}.png</code>.</figcaption></figure>\n",
        text(caption), svg, text(caption), name, name);
}

std::string paragraph(const std::string& html, const char* style = nullptr) {
    return style == nullptr ? "<p>" + html + "</p>\n" : fmt::format("<p class=\"{}\">{}</p>\n", style, html);
}

class Page {
  public:
    explicit Page(const Facts& facts) : facts_(facts), reasons_(facts.graph) {}

    std::string html() {
        section("proof", "Does it stand alone?", proof());
        section("size", "How large is it, and why?", size());
        section("parts", "What is in it, and why?", parts());
        section("system", "What does it need from the system?", system());
        section("start", "How fast does it start?", start());
        section("loose-ends", "What could not be settled?", loose_ends());
        section("licences", "May it be given away?", licences());
        section("secrets", "Does it give away what it should not?", secrets());
        section("changes", "What has changed?", changes());
        if (!facts_.missing.empty()) section("missing", "What this report can't say", missing());
        std::string title = facts_.title.empty() ? facts_.name : facts_.title;
        return fmt::format(
            "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
            "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
            "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; style-src "
            "'unsafe-inline'; "
            "script-src 'unsafe-inline'; img-src data:\">\n"
            "<title>{0}: report</title>\n<style>{1}</style>\n</head>\n<body>\n"
            "<a class=\"skip\" href=\"#content\">To the content</a>\n<header><h1>{0}{2}</h1>\n{3}</header>\n"
            "<nav aria-label=\"Sections\"><ul>{4}</ul></nav>\n<main id=\"content\">\n{5}</main>\n"
            "<footer><p>Written by Omnistasis. Figures, tables (<code>parts.csv</code>, "
            "<code>components.csv</code>), all facts (<code>facts.json</code>) and the bills of materials "
            "are files beside this page.</p></footer>\n{6}</body>\n</html>\n",
            text(title), page_style, facts_.version.empty() ? "" : " " + text(facts_.version), summary(),
            links_, sections_, script());
    }

  private:
    void section(const char* id, const char* title, const std::string& content) {
        links_ += fmt::format("<li><a href=\"#{}\">{}</a></li>", id, title);
        sections_ += fmt::format("<section id=\"{0}\" aria-labelledby=\"{0}-title\"><h2 "
                                 "id=\"{0}-title\">{1}</h2>\n{2}</section>\n",
                                 id, title, content);
    }

    std::string summary() const {
        std::string cards;
        auto card = [&](const std::string& value, const std::string& what, const char* style = "") {
            cards +=
                fmt::format("<li class=\"{}\"><strong>{}</strong> <span>{}</span></li>", style, value, what);
        };
        bool built = !facts_.output.empty();
        if (built) card(size_text(facts_.output_size), facts_.form == "file" ? "one file" : "a folder");
        if (!facts_.runtime.empty()) card(text(facts_.runtime), "for " + text(facts_.target));
        if (facts_.proof.is_object()) {
            bool holds = field_or(facts_.proof, "holds", false);
            bool is_older = field_or(facts_.proof, "of_earlier_build", false);
            card(holds ? "stands alone" : "does not stand alone",
                 is_older ? "as the proof of an earlier build shows" : "as the proof shows",
                 is_older ? "open"
                 : holds  ? "good"
                          : "bad");
        } else {
            card("not proved", "whether it stands alone", "open");
        }
        std::size_t ends = static_cast<std::size_t>(std::ranges::count_if(
            facts_.graph.loose_ends, [](const trace::LooseEnd& end) { return !end.minor; }));
        card(std::to_string(ends), ends == 1 ? "loose end" : "loose ends", ends == 0 ? "good" : "open");
        std::size_t unknown = static_cast<std::size_t>(std::ranges::count_if(
            facts_.components, [](const ComponentFacts& one) { return one.licence.empty(); }));
        card(std::to_string(facts_.components.size()),
             unknown == 0 ? "components, all with a licence"
                          : fmt::format("components, {} without a licence", unknown),
             unknown == 0 ? "good" : "open");
        std::string out = facts_.summary.empty() ? "" : paragraph(text(facts_.summary));
        return out + "<ul class=\"cards\">" + cards + "</ul>\n";
    }

    std::string proof() const {
        if (!facts_.proof.is_object())
            return paragraph("Nobody has looked: <code>omnistasis prove</code> runs it without the build "
                             "machine around it, and "
                             "says what it looked for.",
                             "open");
        Json runs = field_or(facts_.proof, "runs", Json::array());
        bool holds = field_or(facts_.proof, "holds", false);
        std::string out =
            paragraph(holds ? fmt::format("Yes, in {} without the build machine around it.",
                                          count(runs.size(), "run", "runs"))
                            : "No: in a run without the build machine around it something was missing.",
                      holds ? "good" : "bad");
        if (field_or(facts_.proof, "of_earlier_build", false))
            out += paragraph("That was an earlier build: prove this one with <code>omnistasis prove</code>.",
                             "open");
        std::string rows;
        for (const Json& run : runs) {
            std::string arguments;
            for (const Json& one : field_or(run, "arguments", Json::array()))
                if (one.is_string()) arguments += " " + one.get<std::string>();
            rows += row({head(text(field_or(run, "name", ""))),
                         cell("<code>" + text(arguments.substr(std::min<std::size_t>(1, arguments.size()))) +
                              "</code>"),
                         cell(field_or(run, "holds", false) ? "holds" : "does not hold"),
                         number(std::to_string(field_or(run, "exit_code", 0))),
                         number(fmt::format("{:.2f} s", field_or(run, "seconds", 0.0))),
                         cell(field_or(run, "compared_with_source", false) ? "the same as from source"
                                                                           : "not compared")});
        }
        out += table("Runs in isolation",
                     {{"run", false},
                      {"arguments", false},
                      {"result", false},
                      {"exit code", true},
                      {"time", true},
                      {"against the source", false}},
                     rows);
        std::string found;
        for (const Json& run : runs)
            for (const Json& one : field_or(run, "findings", Json::array()))
                found += row({head(text(field_or(one, "what", ""))), cell(text(field_or(one, "kind", ""))),
                              cell(text(field_or(one, "from", ""))),
                              cell(field_or(one, "fails", false) ? "yes" : "no"),
                              cell(text(field_or(one, "advice", "")))});
        if (!found.empty())
            out += table(
                "What it looked for, or did",
                {{"what", false}, {"kind", false}, {"where", false}, {"fails", false}, {"what to do", false}},
                found);
        return out;
    }

    std::string size() const {
        std::string out =
            figure(facts_.size_svg, "Each rectangle's area is what a part takes of the output.", "size-map");
        std::vector<const ComponentFacts*> order;
        for (const ComponentFacts& one : facts_.components) order.push_back(&one);
        std::ranges::stable_sort(order, std::greater<>(), &ComponentFacts::stored);
        std::uint64_t own_raw = 0, own_stored = 0;
        std::size_t own_count = 0;
        for (const Piece& piece : facts_.pieces)
            if (piece.owner.empty()) {
                own_raw += piece.raw;
                own_stored += piece.stored;
                ++own_count;
            }
        std::string rows =
            row({head("the application's own"), cell(""), number(std::to_string(own_count)),
                 number(size_text(own_raw)), number(size_text(own_stored)), number(share(own_stored))});
        for (const ComponentFacts* one : order)
            rows += row({head(text(one->name)), cell(text(one->version)), number(std::to_string(one->pieces)),
                         number(size_text(one->raw)), number(size_text(one->stored)),
                         number(share(one->stored))});
        return out + table("Components by what they take",
                           {{"component", false},
                            {"version", false},
                            {"parts", true},
                            {"before compression", true},
                            {"in the output", true},
                            {"share", true}},
                           rows);
    }

    std::string share(std::uint64_t stored) const {
        return facts_.output_size == 0 ? ""
                                       : fmt::format("{:.1f} %", 100.0 * static_cast<double>(stored) /
                                                                     static_cast<double>(facts_.output_size));
    }

    std::string parts() const {
        std::string out = figure(facts_.import_svg, "Which modules import which.", "imports");
        std::vector<const Piece*> order;
        for (const Piece& piece : facts_.pieces) order.push_back(&piece);
        std::ranges::stable_sort(order, [](const Piece* one, const Piece* other) {
            return one->stored != other->stored ? one->stored > other->stored : one->raw > other->raw;
        });
        out += fmt::format(
            "<div class=\"search\"><label for=\"find\">Find a part, a component or a file</label> "
            "<input id=\"find\" type=\"search\" autocomplete=\"off\"> <output id=\"found\" for=\"find\">{} "
            "parts</output></div>\n",
            order.size());
        std::string rows;
        rows.reserve(order.size() * 220);
        for (const Piece* piece : order) {
            const trace::Edge* edge = piece->unit ? reasons_.last_edge(*piece->unit) : nullptr;
            std::string why;
            if (edge != nullptr) {
                std::string place = at(facts_, edge->reason.file, edge->reason.line);
                why = fmt::format("{} {} {}{}", text(facts_.graph.units[edge->from].name),
                                  text(edge->reason.verb), text(facts_.graph.units[*piece->unit].name),
                                  place.empty() ? "" : fmt::format(", <code>{}</code>", text(place)));
                why = fmt::format("{} <button type=\"button\" class=\"why\" data-unit=\"{}\" "
                                  "aria-expanded=\"false\">all steps</button>",
                                  why, *piece->unit);
            } else if (piece->unit) {
                why = "needed by every such application, or named by the project";
            } else {
                why = piece->kind == "launcher" ? "starts the application"
                      : piece->kind == "index"  ? "says what is where"
                                                : "made by the build";
            }
            rows +=
                row({head(text(piece->name)), cell(piece->kind),
                     cell(piece->owner.empty() ? "own" : text(piece->owner)), number(size_text(piece->raw)),
                     number(facts_.output.empty() ? "" : size_text(piece->stored)), cell(why)});
        }
        return out + table("Every part, the heaviest first",
                           {{"part", false},
                            {"kind", false},
                            {"component", false},
                            {"before compression", true},
                            {"in the output", true},
                            {"why it is there", false}},
                           rows, "all-parts");
    }

    std::string system() const {
        std::string out;
        if (!facts_.oldest_system.empty())
            out += paragraph("It runs on <strong>" + text(facts_.oldest_system) + "</strong>.");
        if (!facts_.known_systems.empty()) {
            std::string names;
            for (const std::string& name : facts_.known_systems)
                names += (names.empty() ? "" : ", ") + text(name);
            out += paragraph("That is: " + names + ", and what is newer.");
        }
        if (!facts_.sets_the_bar.empty()) {
            std::string list;
            for (const std::string& line : facts_.sets_the_bar) list += "<li>" + text(line) + "</li>";
            out += "<p>What sets that bar:</p><ul>" + list + "</ul>\n";
        }
        if (!facts_.host_libraries.empty()) {
            std::string names;
            for (const std::string& name : facts_.host_libraries)
                names += (names.empty() ? "<code>" : ", <code>") + text(name) + "</code>";
            out += paragraph("It takes from the system, which every one has: " + names + ".");
        }
        if (!facts_.state.empty()) {
            std::string rows;
            for (const payload::StatePath& state : facts_.state)
                rows += row({head(text(state.place)),
                             cell("<code>~/.local/share/" + text(facts_.name + "/" + state.path) + "</code>"),
                             cell(state.is_folder ? "folder" : "file")});
            out += table("What it writes, and keeps",
                         {{"in the application", false}, {"where it is", false}, {"kind", false}}, rows);
        }
        out += figure(facts_.library_svg, "Which native file needs which library.", "libraries");
        return out.empty() ? paragraph("Nothing is known of that: it was not built yet.", "open") : out;
    }

    std::string start() const {
        if (!facts_.profile.is_object())
            return paragraph("Nobody has measured: <code>omnistasis profile</code> does.", "open");
        std::string rows;
        auto add = [&](const char* key, const char* what) {
            if (!facts_.profile.contains(key) || !facts_.profile[key].is_object()) return;
            const Json& one = facts_.profile[key];
            rows += row({head(what), number(fmt::format("{:.1f} ms", field_or(one, "median_ms", 0.0))),
                         number(fmt::format("{:.1f} to {:.1f} ms", field_or(one, "low_ms", 0.0),
                                            field_or(one, "high_ms", 0.0))),
                         number(std::to_string(field_or(one, "runs", 0))),
                         number(size_text(field_or(one, "memory_bytes", std::uint64_t(0))))});
        };
        add("warm", "a start");
        add("cold", "the first start");
        add("source", "from source");
        std::string out = table("From start to end",
                                {{"what", false},
                                 {"median", true},
                                 {"middle half", true},
                                 {"runs", true},
                                 {"memory, at most", true}},
                                rows);
        out += figure(facts_.start_svg, "What the time of one start goes to.", "start");
        std::string costs;
        for (const Json& one : field_or(facts_.profile, "costs", Json::array()))
            costs += row({head(text(field_or(one, "name", ""))),
                          number(fmt::format("{:.1f} ms", field_or(one, "own_ms", 0.0))),
                          number(fmt::format("{:.1f} ms", field_or(one, "all_ms", 0.0)))});
        if (!costs.empty())
            out += table("The imports that cost most",
                         {{"module", false}, {"alone", true}, {"with what it imports first", true}}, costs);
        std::string could;
        for (const Json& one : field_or(facts_.profile, "could_wait", Json::array()))
            could +=
                row({head(text(field_or(one, "module", ""))),
                     cell("<code>" + text(at(facts_, field_or(one, "file", ""), field_or(one, "line", 0u))) +
                          "</code>"),
                     number(fmt::format("{:.1f} ms", field_or(one, "all_ms", 0.0)))});
        if (!could.empty())
            out += table("Imports that could wait until a function needs them",
                         {{"module", false}, {"imported at", false}, {"would save", true}}, could);
        return out;
    }

    std::string loose_ends() const {
        if (facts_.graph.units.empty()) return paragraph("The trace is not at hand.", "open");
        if (facts_.graph.loose_ends.empty())
            return paragraph("Nothing: everything that the trace met is settled.", "good");
        std::string rows;
        for (bool minor : {false, true})
            for (const trace::LooseEnd& end : facts_.graph.loose_ends)
                if (end.minor == minor)
                    rows +=
                        row({head(text(end.what)),
                             cell("<code>" + text(at(facts_, end.file, end.line)) + "</code>"),
                             cell(text(end.effect)), cell(text(end.advice)), cell(minor ? "little" : "yes")});
        return table("Loose ends",
                     {{"what", false},
                      {"where", false},
                      {"what it may cause", false},
                      {"what to do", false},
                      {"matters", false}},
                     rows);
    }

    std::string licences() const {
        std::string out;
        if (facts_.review)
            for (const review::Refused& one : facts_.review->refused)
                out += paragraph(text(fmt::format("{} is under {}, which the project refuses ({}).",
                                                  one.component, one.licence, one.rule)),
                                 "bad");
        std::map<std::string, std::pair<std::string, std::vector<std::string>>> families;
        for (const ComponentFacts& one : facts_.components) {
            auto& [asks, names] = families[one.family];
            asks = one.asks;
            names.push_back(one.name);
        }
        std::string asks;
        for (const auto& [family, what] : families)
            if (!family.empty())
                asks += fmt::format("<dt>{} ({})</dt><dd>{}</dd>\n", text(family), what.second.size(),
                                    text(what.first));
        if (!asks.empty())
            out +=
                "<p>What each family of licences asks of somebody who gives the application away:</p><dl>" +
                asks + "</dl>\n<p class=\"open\">This is no legal advice.</p>\n";
        std::string rows;
        std::vector<const ComponentFacts*> order;
        for (const ComponentFacts& one : facts_.components) order.push_back(&one);
        std::ranges::stable_sort(order, [](const ComponentFacts* one, const ComponentFacts* other) {
            return one->licence.empty() != other->licence.empty() ? one->licence.empty()
                                                                  : one->name < other->name;
        });
        for (const ComponentFacts* one : order)
            rows += row({head(text(one->name)), cell(text(one->version)),
                         cell(one->licence.empty() ? "<strong>not known</strong>" : text(one->licence)),
                         cell(text(one->family)), cell(text(one->said_by)),
                         cell("<code>" + text(one->url) + "</code>")});
        return out +
               table("Components and their licences",
                     {{"component", false},
                      {"version", false},
                      {"licence", false},
                      {"family", false},
                      {"said by", false},
                      {"package URL", false}},
                     rows) +
               paragraph("Their full texts go along in <code>licences.txt</code>.");
    }

    std::string secrets() const {
        if (!facts_.review)
            return paragraph("This needs the project: an output alone does not say it.", "open");
        std::string out, rows;
        for (const review::Finding& one : facts_.review->findings)
            rows +=
                row({head(text(one.what)), cell("<code>" + text(at(facts_, one.file, one.line)) + "</code>"),
                     cell("<code>" + text(one.excerpt) + "</code>"),
                     cell(!one.allowed.empty() ? "allowed: " + text(one.allowed)
                          : one.is_credential  ? "stops the build: leave it out with trace.exclude or a "
                                                 "narrower asset, or allow it with [[allow]]"
                                               : "leave it out, or allow it with [[allow]]")});
        out += rows.empty()
                   ? paragraph("Nothing was found: no credentials, no paths or names of the build machine, "
                               "no leftovers.",
                               "good")
                   : table("Findings",
                           {{"what", false}, {"where", false}, {"excerpt", false}, {"what happens", false}},
                           rows);
        std::string variables;
        for (const review::ReadVariable& one : facts_.review->variables)
            variables += row({head("<code>" + text(one.name) + "</code>"),
                              cell("<code>" + text(at(facts_, one.file, one.line)) + "</code>")});
        if (!variables.empty())
            out += table("Variables of the environment that its own code reads",
                         {{"variable", false}, {"where", false}}, variables);
        for (const std::string& rule : facts_.review->idle_rules) out += paragraph(text(rule), "open");
        return out;
    }

    std::string changes() const {
        std::string out = figure(facts_.history_svg, "The sizes of the builds so far.", "history");
        if (!facts_.changes.is_object()) return out + paragraph("There is no earlier build to compare with.");
        Json list = field_or(facts_.changes, "differences", Json::array());
        if (list.empty()) return out + paragraph("Nothing, since the build before.");
        std::string rows;
        constexpr std::size_t most = 200;
        for (std::size_t i = 0; i < std::min(most, list.size()); ++i) {
            const Json& one = list[i];
            auto size = [&](const char* key) {
                return one.contains(key) && one[key].is_number() ? size_text(one[key].get<std::uint64_t>())
                                                                 : std::string();
            };
            rows += row({head(text(field_or(one, "name", ""))), cell(text(field_or(one, "kind", ""))),
                         cell(text(field_or(one, "what", ""))), cell(text(field_or(one, "before", ""))),
                         cell(text(field_or(one, "after", ""))), number(size("bytes_before")),
                         number(size("bytes_after"))});
        }
        out += table("Since the build before",
                     {{"what", false},
                      {"kind", false},
                      {"change", false},
                      {"before", false},
                      {"after", false},
                      {"bytes before", true},
                      {"bytes after", true}},
                     rows);
        if (list.size() > most)
            out += paragraph(fmt::format("{} more are in facts.json.", list.size() - most));
        return out;
    }

    std::string missing() const {
        std::string list;
        for (const std::string& one : facts_.missing) list += "<li>" + text(one) + "</li>";
        return "<ul>" + list + "</ul>\n";
    }

    /// The search, and the chains of reasons: each unit's name, and the unit and words of its reason.
    std::string script() const {
        const auto& units = facts_.graph.units;
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
            const trace::Edge* edge = reasons_.last_edge(id);
            if (edge == nullptr) continue;
            by[id] = edge->from;
            verbs[id] = number_of(edge->reason.verb);
            files[id] = number_of(shown(facts_, edge->reason.file));
            lines[id] = edge->reason.line;
        }
        Json data{{"names", names}, {"texts", texts}, {"by", by},
                  {"verbs", verbs}, {"files", files}, {"lines", lines}};
        std::string json = json_ascii_line(data);
        // What a name holds must not end the script.
        replace_all(json, "<", "\\u003c");
        return "<script>const facts = " + json + ";\n" + page_script + "</script>\n";
    }

    const Facts& facts_;
    trace::Reasons reasons_;
    std::string links_, sections_;
};

} // namespace

std::string report_page(const Facts& facts) { return Page(facts).html(); }

} // namespace omnistasis::report
