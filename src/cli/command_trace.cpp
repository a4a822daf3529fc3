#include "cli/job.h"
#include "runtimes/conventions.h"

#include <fmt/format.h>
#include <future>
#include <map>
#include <memory>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

/// The heading that a unit stands under.
/// The part of a path below the folder of all packages; the whole path where it leads through none.
std::string below_packages(const std::string& path) {
    for (const Conventions* language : conventions())
        for (std::string_view folder : language->package_folders)
            if (std::size_t at = path.find(std::string(folder) + "/"); at != std::string::npos)
                return path.substr(at + folder.size() + 1);
    return path;
}

std::string heading(const trace::Unit& unit) {
    if (unit.own) return unit.kind == trace::UnitKind::data ? "data of the application" : "the application";
    if (unit.kind == trace::UnitKind::native) return "native libraries";
    if (unit.kind == trace::UnitKind::data) return "data of packages";
    if (unit.kind == trace::UnitKind::program) return "the runtime";
    if (unit.kind == trace::UnitKind::built_in) return "built into the runtime";
    return unit.of_runtime ? "the standard library" : "packages";
}

void print_trace(const trace::Graph& graph, const JobOptions& options, const std::string& record) {
    std::map<std::string, std::vector<const trace::Unit*>> groups;
    for (const trace::Unit& unit : graph.units) groups[heading(unit)].push_back(&unit);
    for (const char* name :
         {"the application", "data of the application", "packages", "data of packages", "native libraries",
          "the runtime", "the standard library", "built into the runtime"}) {
        auto group = groups.find(name);
        if (group == groups.end()) continue;
        say(stdout, "{}  {}\n", styled(name, Style::bold, STDOUT_FILENO), group->second.size());
        bool listed = options.verbose || group->second.size() <= 12;
        std::map<std::string, std::size_t> tops;
        for (const trace::Unit* unit : group->second) {
            if (listed)
                say(stdout, "  {}{}\n", unit->name,
                    unit->file.empty() || !options.verbose ? "" : "  " + unit->file);
            bool by_name = trace::is_module(unit->kind);
            std::string inner = below_packages(unit->name);
            std::size_t end = inner.find_first_of(by_name ? "." : "/");
            // Of what lies in the tree's own lib folder, the folder in that says more.
            if (inner.starts_with("lib/")) end = inner.find('/', 4);
            ++tops[inner.substr(0, end)];
        }
        if (listed) continue;
        std::string line = " ";
        for (const auto& [top, count] : tops) {
            std::string word = count > 1 ? fmt::format(" {} ({})", top, count) : " " + top;
            if (line.size() + word.size() > 100) {
                say(stdout, "{}\n", line);
                line = " ";
            }
            line += word;
        }
        say(stdout, "{}\n", line);
    }
    if (!graph.left_out.empty())
        say(stdout, "{}  {}\n",
            styled("left out: only packages ask for them, and can do without", Style::bold, STDOUT_FILENO),
            graph.left_out.size());
    for (const trace::LeftOut& one : graph.left_out)
        say(stdout, "  {}  {}:{}\n", one.name, shown_path(one.file), one.line);
    std::vector<const trace::Absent*> absent;
    for (const trace::Absent& one : graph.absent)
        if (!one.of_runtime || options.verbose) absent.push_back(&one);
    if (absent.empty()) return;
    say(stdout, "{}  {}\n", styled("imports that may fail and are not there", Style::bold, STDOUT_FILENO),
        absent.size());
    std::size_t most = options.verbose ? absent.size() : 8;
    for (std::size_t i = 0; i < absent.size() && i < most; ++i)
        say(stdout, "  {}  {}:{}\n", absent[i]->name, shown_path(absent[i]->file), absent[i]->line);
    if (absent.size() > most) say(stdout, "  and {} more, with -v or in {}\n", absent.size() - most, record);
}

Result<void> run_trace(const JobOptions& options) {
    ProgressLine progress(options.quiet);
    std::string text;
    auto job = look_at_project(options, progress, [&](const Job& traced) { text = trace_text(traced); });
    progress.clear();
    if (!job) return pass_on(job);
    // What was kept is written meanwhile.
    auto writing = std::async(std::launch::async, [&] { job->store->flush(); });
    auto file = write_trace(*job, text);
    writing.get();
    if (!file) return pass_on(file);
    std::string record = file->filename().string();
    if (options.json)
        say(stdout, "{}", text);
    else if (options.quiet)
        say(stdout, "{}\n", shown_path(file->string()));
    else {
        print_trace(job->graph, options, record);
        say(stdout, "all of it, with reasons: {}\n", shown_path(file->string()));
    }
    print_loose_ends(job->graph.loose_ends, options.verbose, record);
    // What a large graph takes is left to the system when the program ends.
    static trace::Graph graph;
    graph = std::move(job->graph);
    return {};
}

} // namespace

void add_trace_command(CLI::App& program, int& exit_code) {
    auto options = std::make_shared<JobOptions>();
    CLI::App* command = program.add_subcommand("trace", "find everything that the application needs");
    options->add_to(*command);
    options->add_target_to(*command);
    command->footer("Examples:\n"
                    "  omnistasis trace tides.py\n"
                    "      modules, native libraries and data, and what could not be settled\n"
                    "  omnistasis trace --json | jq '.loose_ends'\n"
                    "      the same for the project in this folder, for another program\n"
                    "  omnistasis trace tides.py --target windows-x86_64\n"
                    "      what it needs on Windows");
    command->callback([options, &exit_code] { exit_code = finish(run_trace(*options)); });
}

} // namespace omnistasis::cli
