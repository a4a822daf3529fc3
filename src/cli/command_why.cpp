#include "cli/job.h"
#include "support/near_match.h"
#include "trace/why.h"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <memory>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

struct WhyOptions : JobOptions {
    std::string name;
};

std::string position(const trace::Reason& reason) {
    if (reason.file.empty()) return {};
    return "  (" + shown_path(reason.file) + (reason.line != 0 ? fmt::format(":{}", reason.line) : "") + ")";
}

void print_chains(const trace::Graph& graph, trace::UnitId id) {
    const trace::Unit& unit = graph.units[id];
    say(stdout, "{}  {}{}\n", styled(unit.name, Style::bold, STDOUT_FILENO), trace::kind_name(unit.kind),
        unit.file.empty() ? "" : ", " + shown_path(unit.file));
    auto chains = trace::chains_to(graph, id, 3);
    for (const trace::Chain& chain : chains) {
        if (chain.empty()) {
            say(stdout,
                "  is needed from the start: the entry point, the runtime, or named by the project\n");
            continue;
        }
        say(stdout, "  {}\n", graph.units[chain.front().from].name);
        for (const trace::Edge& edge : chain)
            say(stdout, "    {} {}{}{}\n", edge.reason.verb, graph.units[edge.to].name,
                edge.reason.optional ? ", if it can" : "", position(edge.reason));
    }
}

Result<void> run_why(const WhyOptions& options) {
    ProgressLine progress(options.quiet);
    auto job = look_at_project(options, progress);
    progress.clear();
    if (!job) return pass_on(job);
    const trace::Graph& graph = job->graph;
    auto found = trace::units_named(graph, options.name);
    for (trace::UnitId id : found) print_chains(graph, id);
    if (!found.empty()) return {};
    std::string asked;
    for (const trace::Absent& absent : graph.absent)
        if (absent.name == options.name)
            asked += fmt::format("{}{}:{}", asked.empty() ? "" : ", ", shown_path(absent.file), absent.line);
    for (const trace::LeftOut& one : graph.left_out)
        if (one.name == options.name.substr(0, options.name.find('.')))
            return fail(ErrorKind::refused, fmt::format("{} is left out", options.name),
                        fmt::format("{}:{}", shown_path(one.file), one.line),
                        "only packages ask for it, which can do without; the application itself does not",
                        fmt::format("if it is needed, say --include {}", options.name));
    std::vector<std::string> names;
    for (const trace::Unit& unit : graph.units) names.push_back(unit.name);
    auto near = near_matches(options.name, names);
    return fail(ErrorKind::refused, fmt::format("{} is not part of the application", options.name), "",
                asked.empty() ? "nothing that was reached asks for it"
                              : "it is not installed; asked for, as something optional, in " + asked,
                near.empty() ? fmt::format("if it is needed, say --include {}", options.name)
                             : fmt::format("did you mean {}?", fmt::join(near, ", ")));
}

} // namespace

void add_why_command(CLI::App& program, int& exit_code) {
    auto options = std::make_shared<WhyOptions>();
    CLI::App* command = program.add_subcommand("why", "tell why something is part of the application");
    command->add_option("NAME", options->name, "a module, a library or a file")->required()->option_text(" ");
    options->add_to(*command);
    options->add_target_to(*command);
    command->footer("Examples:\n"
                    "  omnistasis why sqlite3 tides.py\n"
                    "      who imports it, from the entry point on\n"
                    "  omnistasis why libz.so.1\n"
                    "      which file of the project in this folder needs the library\n"
                    "  omnistasis why libssl-3.dll tides.py --target windows-x86_64\n"
                    "      which file needs it on Windows");
    command->callback([options, &exit_code] { exit_code = finish(run_why(*options)); });
}

} // namespace omnistasis::cli
