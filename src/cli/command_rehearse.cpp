#include "cli/job.h"
#include "support/files.h"
#include "support/json.h"
#include "trace/capabilities.h"
#include "watch/findings.h"
#include "watch/rehearsal.h"

#include <chrono>
#include <fmt/format.h>
#include <memory>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

struct RehearseOptions : JobOptions {
    std::vector<std::string> arguments; ///< the application's own
};

std::string shown_end(int exit_code) {
    return exit_code > 128 ? fmt::format("ended by signal {}", exit_code - 128)
                           : fmt::format("exit code {}", exit_code);
}

void print_json(const Job& job, const watch::Rehearsal& rehearsal, const watch::Findings& findings) {
    Json json;
    json["format"] = 1;
    json["exit_code"] = rehearsal.exit_code;
    json["facts"] = job.project.rehearsed_file.string();
    json["watched_files"] = rehearsal.blind.empty();
    json["findings"] = Json::array();
    for (const watch::Finding& one : findings.rows)
        json["findings"].push_back(
            {{"kind", watch::word_of(one.kind)}, {"name", one.name}, {"from", one.from}, {"why", one.why}});
    say(stdout, "{}", json_lines(json));
}

void print_findings(const watch::Findings& findings) {
    std::size_t name_width = 4, from_width = 8;
    for (const watch::Finding& one : findings.rows) {
        name_width = std::min<std::size_t>(50, std::max(name_width, one.name.size()));
        from_width = std::min<std::size_t>(40, std::max(from_width, one.from.size()));
    }
    std::string head = fmt::format("{:9} {:{}} {:{}} {}", "new", "name", name_width, "asked at", from_width,
                                   "why the trace could not know");
    say(stdout, "{}\n", styled(head, Style::bold, STDOUT_FILENO));
    for (const watch::Finding& one : findings.rows)
        say(stdout, "{:9} {:{}} {:{}} {}\n", watch::word_of(one.kind), one.name, name_width, one.from,
            from_width, one.why);
}

Result<void> run_rehearse(const RehearseOptions& options) {
    ProgressLine progress(options.quiet);
    auto job = trace_project(options, progress);
    progress.clear();
    if (!job) return pass_on(job);
    auto scratch = StagingFolder::make(fs::temp_directory_path(), "rehearsal");
    if (!scratch) return pass_on(scratch);
    auto* watches = trace::as<trace::WatchesImports>(*job->runtime);
    if (watches == nullptr)
        return fail(ErrorKind::bad_input, "this language can't be rehearsed", job->runtime_title);
    auto run = watches->watched_run(scratch->path(), options.arguments);
    if (!run) return pass_on(run);
    fs::path folder = job->project.starts_in_own_folder() ? job->project.folder : fs::current_path();

    auto start = std::chrono::steady_clock::now();
    auto rehearsal = watch::run_watched(run->command, folder, run->variables, scratch->path());
    if (!rehearsal) return pass_on(rehearsal);
    std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
    auto modules = watches->seen_modules(scratch->path());
    const Rehearsed before = job->project.rehearsed;
    watch::Findings findings;
    for (;;) {
        watch::Findings more = watch::findings_of(job->project, *job->runtime, job->graph, *job->host,
                                                  modules, rehearsal->files);
        std::size_t known = job->project.rehearsed.size();
        job->project.rehearsed.merge(more.facts);
        if (job->project.rehearsed.size() == known) break;
        findings.rows.insert(findings.rows.end(), more.rows.begin(), more.rows.end());
        if (auto traced = trace_again(*job, progress); !traced) return traced;
    }
    progress.clear();
    const Rehearsed& facts = job->project.rehearsed;
    const fs::path& file = job->project.rehearsed_file;
    if (facts.size() > before.size())
        if (auto written = write_atomically(file, rehearsed_text(facts)); !written) return written;
    if (options.json) return print_json(*job, *rehearsal, findings), Result<void>();
    if (options.quiet) return {};
    std::fflush(stdout);
    say(stdout, "{}: {} after {:.2f} s; {}, {} and {} seen\n",
        styled(job->project.name + " was rehearsed", Style::bold, STDOUT_FILENO),
        shown_end(rehearsal->exit_code), took.count(), plural(modules.size(), "import", "imports"),
        plural(rehearsal->files.read.size(), "file", "files"),
        plural(rehearsal->files.programs.size(), "program", "programs"));
    if (!rehearsal->blind.empty())
        say(stdout, "only imports were watched, not files and libraries: {}\n", rehearsal->blind);
    if (findings.rows.empty()) {
        say(stdout, "{}\n",
            rehearsal->blind.empty() ? "the trace had all of it, at the places where it is looked for"
                                     : "the trace had all that was imported");
        return {};
    }
    print_findings(findings);
    say(stdout, "kept in {}, {} in all; `omnistasis build` takes them in\n", shown_path(file.string()),
        facts.size() == 1 ? "one fact" : fmt::format("{} facts", facts.size()));
    return {};
}

} // namespace

void add_rehearse_command(CLI::App& program, const std::vector<std::string>& arguments, int& exit_code) {
    auto options = std::make_shared<RehearseOptions>();
    options->arguments = arguments;
    CLI::App* command =
        program.add_subcommand("rehearse", "run the application from source and note what only a run shows");
    options->add_to(*command);
    command->footer(
        "What follows `--` are the application's own arguments. What the trace lacked is kept in\n"
        "NAME.rehearsed.toml in the project; several rehearsals add up.\n"
        "Examples:\n"
        "  omnistasis rehearse tides.py -- --station halcyon\n"
        "      a run with these arguments\n"
        "  omnistasis rehearse\n"
        "      the project in this folder: use it for a while, then end it");
    command->callback([options, &exit_code] { exit_code = finish(run_rehearse(*options)); });
}

} // namespace omnistasis::cli
