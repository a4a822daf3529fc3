#include "build/output_place.h"
#include "cli/job.h"
#include "cli/output_files.h"
#include "native/native_kind.h"
#include "payload/delta.h"
#include "support/json.h"
#include "support/target_info.h"
#include "trace/capabilities.h"
#include "watch/start_profile.h"

#include <algorithm>
#include <fmt/format.h>
#include <memory>
#include <unistd.h>
#include <unordered_map>

namespace omnistasis::cli {

namespace {

struct ProfileOptions : JobOptions {
    std::string subject; ///< an output, or what `build` takes
    std::vector<std::string> arguments;
    std::size_t runs = 9;
    double seconds = 60;
};

/// An import that could wait, and what that would save.
struct CouldWait {
    std::string module;
    std::string file;
    std::uint32_t line = 0;
    double milliseconds = 0;
};

Json measured_json(const watch::Measured& measured) {
    if (measured.milliseconds.empty()) return nullptr;
    return {{"median_ms", measured.median()},
            {"low_ms", measured.low()},
            {"high_ms", measured.high()},
            {"runs", measured.milliseconds.size()},
            {"memory_bytes", measured.largest_memory},
            {"exit_code", measured.exit_code}};
}

std::vector<watch::TimeBar> costs_of(const std::vector<watch::TimeBar>& timeline) {
    std::vector<watch::TimeBar> costs;
    for (const watch::TimeBar& bar : timeline)
        if (bar.kind == watch::BarKind::import) costs.push_back(bar);
    std::ranges::stable_sort(costs, std::greater<>(), &watch::TimeBar::own);
    if (costs.size() > 12) costs.resize(12);
    return costs;
}

std::vector<CouldWait> could_wait(Job& job, const std::vector<watch::TimeBar>& timeline) {
    std::unordered_map<std::string, double> took;
    for (const watch::TimeBar& bar : timeline)
        if (bar.kind == watch::BarKind::import) took.try_emplace(bar.name, bar.to - bar.from);
    std::vector<CouldWait> found;
    auto* reviews = trace::as<trace::ReviewsSources>(*job.runtime);
    if (reviews == nullptr) return found;
    for (const trace::Unit& unit : job.graph.units) {
        if (!unit.own || !trace::is_source(unit.kind)) continue;
        for (const trace::EarlyImport& one : reviews->imports_that_could_wait(unit)) {
            auto time = took.find(one.module);
            if (time != took.end() && time->second >= 0.5)
                found.push_back({one.module, unit.file, one.line, time->second});
        }
    }
    std::ranges::stable_sort(found, std::greater<>(), &CouldWait::milliseconds);
    return found;
}

Json profile_json(const watch::StartProfile& profile, const std::vector<CouldWait>& waits, Job* job) {
    std::unordered_map<std::string, bool> own;
    if (job != nullptr)
        for (const trace::Unit& unit : job->graph.units) own.emplace(unit.name, unit.own);
    Json json{{"format", 1},
              {"warm", measured_json(profile.warm)},
              {"cold", measured_json(profile.cold)},
              {"source", measured_json(profile.source)}};
    auto bars = [&](const std::vector<watch::TimeBar>& timeline) {
        Json list = Json::array();
        for (const watch::TimeBar& bar : timeline) {
            auto known = own.find(bar.name);
            bool is_own = bar.kind == watch::BarKind::import && known != own.end() && known->second;
            list.push_back({{"name", bar.name},
                            {"kind", is_own ? "own" : watch::word_of(bar.kind)},
                            {"from", bar.from},
                            {"to", bar.to},
                            {"depth", bar.depth}});
        }
        return list;
    };
    json["timeline"] = bars(profile.warm_timeline);
    json["cold_timeline"] = bars(profile.cold_timeline);
    json["costs"] = Json::array();
    for (const watch::TimeBar& bar : costs_of(profile.warm_timeline))
        json["costs"].push_back({{"name", bar.name}, {"own_ms", bar.own}, {"all_ms", bar.to - bar.from}});
    json["could_wait"] = Json::array();
    for (const CouldWait& one : waits)
        json["could_wait"].push_back(
            {{"module", one.module}, {"file", one.file}, {"line", one.line}, {"all_ms", one.milliseconds}});
    return json;
}

void print_profile(const watch::StartProfile& profile, const std::vector<CouldWait>& waits) {
    auto print = [](const char* what, const watch::Measured& measured) {
        if (measured.milliseconds.empty()) return;
        say(stdout, "  {:15}  {:7.1f} ms  ({:.1f} to {:.1f}, {})  {:>7} of memory{}\n", what,
            measured.median(), measured.low(), measured.high(),
            plural(measured.milliseconds.size(), "run", "runs"), size_text(measured.largest_memory),
            measured.exit_code == 0 ? "" : fmt::format(", exit code {}", measured.exit_code));
    };
    print("a start", profile.warm);
    print("the first start", profile.cold);
    print("from source", profile.source);
    for (const watch::TimeBar& bar : profile.warm_timeline)
        if (bar.kind != watch::BarKind::import && bar.to - bar.from >= 0.05)
            say(stdout, "    {:>7.1f} ms  {}\n", bar.to - bar.from, bar.name);
    auto costs = costs_of(profile.warm_timeline);
    if (!costs.empty()) {
        say(stdout, "  imports that cost most     alone   in all\n");
        for (std::size_t i = 0; i < std::min<std::size_t>(8, costs.size()); ++i)
            say(stdout, "    {:24} {:5.1f} ms {:5.1f} ms\n", costs[i].name, costs[i].own,
                costs[i].to - costs[i].from);
    }
    if (!waits.empty()) {
        say(stdout, "  imports that could wait until a function needs them\n");
        for (const CouldWait& one : waits)
            say(stdout, "    {:24} {:5.1f} ms  {}:{}\n", one.module, one.milliseconds, shown_path(one.file),
                one.line);
    }
}

Result<void> run_profile(const ProfileOptions& options) {
    ProgressLine progress(options.quiet);
    std::optional<Job> job;
    std::string not_at_hand; ///< why
    fs::path output, folder;
    std::string name;
    // An output is named, or a project that has been built.
    if (is_output(options.subject)) {
        auto files = find_output(options.subject);
        if (!files) return pass_on(files);
        output = files->executable();
        if (dress::is_bundle(files->output) || !native::kind_of(output).fits(host_target()))
            return fail(ErrorKind::bad_input, "this output can't be started here", options.subject,
                        "it is for another system",
                        fmt::format("measure it there, or that of {} here", host_target()));
        folder = files->folder;
        name = files->name;
        if (auto found = project_of(*files, options, progress))
            job.emplace(std::move(*found));
        else
            not_at_hand = found.error().what;
    } else {
        JobOptions of_project = options;
        of_project.project.entry = options.subject;
        take_runtime_of_build(of_project);
        auto traced = trace_project(of_project, progress);
        if (!traced) return progress.clear(), pass_on(traced);
        job.emplace(std::move(*traced));
        folder = job->project.output_folder(host_target());
        name = job->project.name;
        output = folder / name;
        if (is_folder(output)) output /= name;
        if (!is_file(output))
            return progress.clear(), fail(ErrorKind::bad_input, "there is no output to measure", output,
                                          "it was not built yet", "omnistasis build");
    }
    watch::ProfileSubject subject{output,       options.arguments, {}, fs::current_path(),
                                  options.runs, options.seconds};
    auto* runs = job ? trace::as<trace::RunsFromSource>(*job->runtime) : nullptr;
    auto scratch = StagingFolder::make(fs::temp_directory_path(), "profile");
    if (!scratch) return pass_on(scratch);
    if (runs != nullptr) {
        auto run = runs->source_run(scratch->path(), options.arguments);
        if (!run) return progress.clear(), pass_on(run);
        subject.source_command = run->words();
    }
    auto profile = watch::profile_start(subject, progress);
    progress.clear();
    if (!profile) return pass_on(profile);
    std::vector<CouldWait> waits;
    if (job) waits = could_wait(*job, profile->warm_timeline);
    std::string text = json_lines(profile_json(*profile, waits, job ? &*job : nullptr));
    if (build::OutputPlace::holds_outputs(folder)) {
        auto written = write_beside_output(folder, record_name(name, "profile"), text);
        if (!written) return pass_on(written);
    }
    if (options.json) {
        say(stdout, "{}", text);
        return {};
    }
    say(stdout, "{}\n", styled(shown_path(output.string()), Style::bold, STDOUT_FILENO));
    print_profile(*profile, waits);
    if (!job && !options.quiet)
        say(stderr, "its project is not at hand ({}): the source was not measured\n", not_at_hand);
    return {};
}

} // namespace

void add_profile_command(CLI::App& program, const std::vector<std::string>& arguments, int& exit_code) {
    auto options = std::make_shared<ProfileOptions>();
    CLI::App* command = program.add_subcommand("profile", "measure how an output starts, against its source");
    command
        ->add_option("OUTPUT", options->subject,
                     "an output, or the entry or folder of a project that was built (default: this folder)")
        ->option_text(" ");
    command->add_option("--runs", options->runs, "run each this many times (default: 9)")
        ->option_text("N")
        ->check(CLI::Range(1, 1000));
    command
        ->add_option("--runtime", options->project.runtime,
                     "use this interpreter (default: that of the last build)")
        ->option_text("PATH");
    command->add_option("--seconds", options->seconds, "end a run after this time (default: 60)")
        ->option_text("N");
    command->add_flag("-q,--quiet", options->quiet, "print errors and the result only");
    command->add_flag("--json", options->json, "print the result as one JSON object");
    command->footer("Examples:\n"
                    "  omnistasis profile out/linux-x86_64/tides -- today --station halcyon\n"
                    "      runs of the output and of the source in turn, and what the time goes to\n"
                    "  omnistasis profile tideboard --runs 25 --json\n"
                    "      the output that was built from this project, as JSON");
    command->callback([options, &arguments, &exit_code] {
        options->arguments = arguments;
        exit_code = finish(run_profile(*options));
    });
}

} // namespace omnistasis::cli
