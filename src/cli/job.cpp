#include "cli/job.h"

#include "build/output_place.h"
#include "dress/icon.h"
#include "native/native_kind.h"
#include "project/assets.h"
#include "report/trace_json.h"
#include "runtimes/registry.h"
#include "trace/kept_trace.h"
#include "trace/tracer.h"

#include <algorithm>
#include <fmt/format.h>
#include <future>
#include <thread>

namespace omnistasis::cli {

void JobOptions::add_to(CLI::App& command) {
    command
        .add_option("ENTRY", project.entry,
                    "the source file to start, or a folder with an omnistasis.toml (default: this folder)")
        ->option_text(" ");
    command
        .add_option("--include", project.include,
                    "also ship this module or pattern of modules, even if the trace does not find it")
        ->option_text("PATTERN")
        ->allow_extra_args(false);
    command.add_option("--exclude", project.exclude, "leave this module, package or pattern out")
        ->option_text("PATTERN")
        ->allow_extra_args(false);
    command
        .add_option("--without", project.without,
                    "turn a rule off: `own-files`, `whole-packages` or `trial-imports`")
        ->option_text("RULE")
        ->allow_extra_args(false);
    command
        .add_option("--asset", project.assets,
                    "also ship this file, folder or pattern, which the application reads")
        ->option_text("FROM[=TO]")
        ->allow_extra_args(false);
    command
        .add_option("--program", project.programs,
                    "also ship this program, which the application starts: a name on PATH, or a file")
        ->option_text("NAME")
        ->allow_extra_args(false);
    command
        .add_option("--runtime", project.runtime, "use this interpreter, or that of this virtual environment")
        ->option_text("PATH");
    command
        .add_option("--out", project.out,
                    "write the output to this folder (default: out/TARGET in the project)")
        ->option_text("FOLDER");
    command.add_option("-j,--jobs", jobs, "run this many jobs at once (default: one per core)")
        ->option_text("N")
        ->check(CLI::Range(1, 1024));
    command.add_flag("-q,--quiet", quiet, "print errors and the result only");
    command.add_flag("-v,--verbose", verbose, "print everything that was found");
    command.add_flag("--json", json, "print the result as one JSON object");
}

void JobOptions::add_target_to(CLI::App& command) {
    command
        .add_option("--target", project.targets,
                    "trace for this target (default: the project's first, else this machine's)")
        ->option_text("TARGET")
        ->expected(1);
}

Result<Job> load_job(const JobOptions& options) {
    auto project = load_project(options.project, settle_entry);
    if (!project) return pass_on(project);
    return job_of(std::move(*project), options);
}

Result<Job> job_of(Project project, const JobOptions& options) {
    Job job;
    job.jobs = options.jobs != 0 ? options.jobs : std::max(1u, std::thread::hardware_concurrency());
    job.store = Store::open_users();
    auto installation = build::Installation::find();
    if (!installation) return pass_on(installation);
    job.installation = std::move(*installation);
    job.project = std::move(project);
    job.targets = job.project.targets;
    std::string target = options.target;
    if (target.empty()) {
        bool for_host = std::ranges::find(job.targets, host_target()) != job.targets.end();
        target = for_host ? host_target() : job.targets.front();
    }
    job.project.targets = {target};
    if (job.targets.size() > 1 && !job.project.out.empty()) job.project.out /= target;
    job.entry =
        fs::absolute(options.project.entry.empty() ? "." : options.project.entry).lexically_normal().string();
    // A name that is no path: a module or function of the project in this folder.
    if (!options.project.entry.empty() && !is_there(job.entry)) job.entry = options.project.entry;
    auto host = native::HostLibraries::read(job.installation.data, job.project.targets.front());
    if (!host) return pass_on(host);
    if (job.project.carry_libc) host->carry_c_library();
    host->move(job.project.carried_libraries, job.project.host_libraries);
    job.host = std::move(*host);
    return job;
}

void pass_over_outputs(const Job& job, Witness& witness) {
    bool is_split = job.targets.size() > 1 && !job.project.out.empty();
    for (const std::string& target : known_targets())
        witness.pass_over(is_split ? job.project.out.parent_path() / target
                                   : job.project.output_folder(target));
}

std::string settings_text(const JobOptions& job_options) {
    const ProjectOptions& options = job_options.project;
    std::string text = options.entry + '\3' + job_options.target;
    for (const auto* value : {&options.name, &options.mode, &options.form, &options.icon, &options.runtime,
                              &options.out, &options.compression, &options.signing_key})
        text += '\0' + value->value_or("\1");
    for (const auto* list : {&options.assets, &options.states, &options.include, &options.exclude,
                             &options.targets, &options.without, &options.programs}) {
        text += '\2';
        for (const std::string& value : *list) text += '\0' + value;
    }
    return text;
}

Result<Job> trace_project(const JobOptions& options, Observer& observer) {
    auto job = load_job(options);
    if (!job) return job;
    if (auto traced = trace_again(*job, observer); !traced) return pass_on(traced);
    return job;
}

Result<Job> look_at_project(const JobOptions& options, Observer& observer,
                            const std::function<void(const Job&)>& use) {
    Witness witness;
    auto job = load_job(options);
    if (!job) return job;
    // The record of the trace is written there.
    pass_over_outputs(*job, witness);
    trace::KeptTrace kept(settings_text(options), job->store);
    if (auto traced = kept.find()) {
        job->graph = std::move(traced->graph);
        job->runtime_title = std::move(traced->runtime);
        if (use) use(*job);
        return job;
    }
    if (auto traced = trace_again(*job, observer); !traced) return pass_on(traced);
    auto keeping =
        std::async(std::launch::async, [&] { kept.keep(job->graph, job->runtime_title, witness); });
    if (use) use(*job);
    keeping.get();
    return job;
}

namespace {

Result<void> take_runtime(Job& job, trace::EntryCheck check) {
    auto runtime = make_runtime(job.project, job.installation.data, job.store, check);
    if (!runtime) return pass_on(runtime);
    job.runtime = std::move(*runtime);
    job.runtime_title = job.runtime->title();
    return {};
}

} // namespace

Result<void> trace_again(Job& job, Observer& observer) {
    auto assets = find_assets(job.project);
    if (!assets) return pass_on(assets);
    auto programs = find_programs(job.project);
    if (!programs) return pass_on(programs);
    for (AssetFile& program : *programs) {
        if (!native::kind_of(program.file.string()).fits(job.project.targets.front()))
            return fail(ErrorKind::bad_input,
                        fmt::format("{} is no native program of {}", program.file.string(),
                                    job.project.targets.front()),
                        "native.programs or --program", "scripts need an interpreter that users may not have",
                        "build it as an application of its own, or tell the users to install it");
        assets->push_back(std::move(program));
    }
    if (!job.project.icon.empty()) {
        fs::path file = job.project.folder / job.project.icon;
        auto icon = dress::icon_kind(file);
        if (!icon) return pass_on(icon);
        assets->push_back({file, "../share/" + job.project.name + dress::icon_ending(*icon)});
    }
    observer.step("asking", 0);
    if (auto made = take_runtime(job, trace::EntryCheck::now); !made) return pass_on(made);
    auto graph = trace::trace(*job.runtime, *assets, *job.host, *job.store, job.jobs, observer);
    if (!graph) return pass_on(graph);
    job.graph = std::move(*graph);
    return {};
}

Result<bool> rely_on_trace(Job& job, build::KeptBuild& kept) {
    if (!kept.only_sources_changed()) return false;
    if (auto made = take_runtime(job, trace::EntryCheck::with_the_files); !made) return pass_on(made);
    auto traced = kept.trace_again_for(*job.runtime);
    if (traced) job.graph = std::move(traced->graph);
    return traced.has_value();
}

Result<review::Review> review_job(Job& job, build::KeptBuild* kept, Observer& observer) {
    fs::path lore = job.installation.data;
    review::Review review;
    if (kept == nullptr || !review::from_stored_form(kept->reading().review, review))
        return review::review(job.project, job.graph, *job.runtime, *job.store, lore, observer);
    auto again = review::review_again(review, job.project, job.graph, *job.runtime, kept->changed(),
                                      *job.store, lore, observer);
    if (!again) return pass_on(again);
    return review;
}

std::string record_name(const std::string& output, const std::string& what) {
    return fmt::format("{}.{}.json", output, what);
}

Result<fs::path> write_beside_output(const fs::path& folder, const std::string& name,
                                     const std::string& text) {
    auto place = build::OutputPlace::prepare(folder, name);
    if (!place) return pass_on(place);
    auto staging = StagingFolder::make(folder, name);
    if (!staging) return pass_on(staging);
    fs::path made = staging->path() / name;
    if (auto written = write_atomically(made, text); !written) return pass_on(written);
    if (auto put = place->put(made); !put) return pass_on(put);
    return place->output();
}

std::string trace_text(const Job& job) {
    return report::trace_json(job.graph, {job.project.targets.front(), job.runtime_title, job.entry,
                                          job.project.name, job.project.runtime_home});
}

Result<fs::path> write_trace(const Job& job, const std::string& text) {
    return write_beside_output(job.project.output_folder(job.project.targets.front()),
                               record_name(job.project.name, "trace"), text);
}

} // namespace omnistasis::cli
