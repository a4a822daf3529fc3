#include "report/read_me.h"

#include "support/files.h"
#include "support/near_match.h"
#include "support/target_info.h"
#include "support/user_folder_words.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <set>

namespace omnistasis::report {

namespace {

std::map<std::string, std::string> values_of(const Facts& facts) {
    std::map<std::string, std::string> values;
    std::string file = base_name(facts.output);
    System system = system_of(facts.target);
    bool windows = system == System::windows, macos = system == System::macos;
    bool single = facts.form == "file";
    values["title"] = facts.title.empty() ? facts.name : facts.title;
    values["version"] = facts.version;
    values["summary"] = facts.summary;
    values["publisher"] = facts.publisher;
    values["homepage"] = facts.homepage;
    values["licence"] = facts.licence;
    values["notices"] = single ? "licences.txt" : "tree/licences.txt";
    std::string how = windows || macos || facts.mode == "window" ? "Open " : "Start ";
    values["start"] = fmt::format(
        "{}{}{}.", how, file, single ? "" : fmt::format("; it needs the folder that it came in, as a whole"));
    if (!windows && !macos && single)
        values["start"] += fmt::format("\nIf the system does not let you: chmod +x {}", file);
    if (windows)
        values["needs"] = "Windows 10 or newer, 64 bit. Nothing has to be installed.";
    else if (macos)
        values["needs"] = (facts.oldest_system.empty() ? "macOS" : facts.oldest_system + " or newer") +
                          ". Nothing has to be installed.";
    else if (!facts.oldest_system.empty())
        values["needs"] = "Linux with " + facts.oldest_system + ". Nothing has to be installed.";
    if (!facts.known_systems.empty()) {
        std::string names;
        for (const std::string& name : facts.known_systems) names += (names.empty() ? "" : ", ") + name;
        values["needs"] += "\nThat is: " + names + ", or newer.";
    }
    std::set<std::string> names;
    if (facts.review)
        for (const review::ReadVariable& one : facts.review->variables) names.insert(one.name);
    for (const std::string& name : names)
        values["variables"] += (values["variables"].empty() ? "" : ", ") + name;
    for (const payload::StatePath& state : facts.state)
        values["data"] +=
            (values["data"].empty() ? "" : "\n") + shown_in_data(system, facts.name + "/" + state.path);
    values["remove"] = fmt::format("Delete {}.", single ? file : "the folder that it came in");
    bool has_files =
        std::ranges::any_of(facts.state, [](const payload::StatePath& one) { return !one.is_folder; });
    // A sealed bundle is copied where it has state.
    if (macos ? !facts.state.empty() : single)
        values["remove"] += fmt::format(
            " What it {} is in {}, in folders that begin with {}-.", macos ? "copied" : "unpacked",
            (has_files ? shown_in_data : shown_in_caches)(system, "omnistasis/"), facts.name);
    if (!facts.state.empty())
        values["remove"] +=
            fmt::format("\nIts data stays until you delete {}.", shown_in_data(system, facts.name));
    return values;
}

} // namespace

Result<std::string> read_me_text(const Facts& facts, const std::string& template_text,
                                 const std::string& template_name) {
    std::map<std::string, std::string> values = values_of(facts);
    std::string out, paragraph;
    bool lacks = false;
    std::size_t line_number = 0;
    auto end_paragraph = [&] {
        if (!lacks && !paragraph.empty()) out += (out.empty() ? "" : "\n") + paragraph;
        paragraph.clear();
        lacks = false;
    };
    for (std::size_t at = 0; at < template_text.size();) {
        std::size_t end = std::min(template_text.find('\n', at), template_text.size());
        std::string line = template_text.substr(at, end - at);
        at = end + 1;
        ++line_number;
        if (line.find_first_not_of(" \t\r") == std::string::npos) {
            end_paragraph();
            continue;
        }
        std::string filled;
        for (std::size_t i = 0; i < line.size();) {
            std::size_t close = line[i] == '{' ? line.find('}', i) : std::string::npos;
            if (close == std::string::npos) {
                filled += line[i++];
                continue;
            }
            std::string name = line.substr(i + 1, close - i - 1);
            auto value = values.find(name);
            bool optional = name == "variables" || name == "data" || name == "needs";
            if (value == values.end() && !optional) {
                std::vector<std::string> known;
                for (const auto& [one, text] : values) known.push_back(one);
                auto near = near_matches(name, known);
                return fail(ErrorKind::bad_input, fmt::format("there is no `{{{}}}` to fill in", name),
                            fmt::format("{}:{}", template_name, line_number), "",
                            near.empty() ? "docs/report.md lists the names"
                                         : fmt::format("did you mean {{{}}}?", near.front()));
            }
            std::string text = value == values.end() ? std::string() : value->second;
            // The title's line does without a version.
            if (text.empty() && name != "version") lacks = true;
            std::string indent(filled.find_first_not_of(' ') == std::string::npos ? filled.size() : 0, ' ');
            for (char c : text) {
                filled += c;
                if (c == '\n') filled += indent;
            }
            i = close + 1;
        }
        while (!filled.empty() && filled.back() == ' ') filled.pop_back();
        paragraph += filled + "\n";
    }
    end_paragraph();
    return out;
}

} // namespace omnistasis::report
