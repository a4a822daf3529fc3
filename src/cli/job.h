#pragma once

#include "build/builder.h"
#include "build/kept_build.h"
#include "cli/terminal.h"
#include "native/host_libraries.h"
#include "project/project.h"
#include "support/witness.h"
#include "trace/graph.h"

#include <CLI/CLI.hpp>
#include <functional>
#include <memory>
#include <optional>

namespace omnistasis::cli {

/// The options that commands on a project share.
struct JobOptions {
    ProjectOptions project;
    unsigned jobs = 0; ///< 0: as many as there are cores
    bool quiet = false;
    bool verbose = false;
    bool json = false;
    std::string target; ///< the one of the project's targets that the job is for; empty: see load_job

    /// Adds them to a command, with ENTRY.
    void add_to(CLI::App& command);
    /// The option `--target` of commands that look at one.
    void add_target_to(CLI::App& command);
};

/// A project that was traced.
struct Job {
    Project project;                  ///< with one target
    std::vector<std::string> targets; ///< all of the project's
    build::Installation installation;
    std::shared_ptr<Store> store;            ///< the user's
    std::unique_ptr<trace::Runtime> runtime; ///< null where an earlier trace is still right
    std::optional<native::HostLibraries> host;
    trace::Graph graph;
    std::string runtime_title;
    unsigned jobs = 1;
    std::string entry; ///< what was named to load the project, absolute
};

/// Loads the project and checks what it names. Without a target in the options the job is for this machine's,
/// if that is among the project's, else for the first.
Result<Job> load_job(const JobOptions& options);

/// The same of a project that is loaded already.
Result<Job> job_of(Project project, const JobOptions& options);

/// Has the outputs of all targets passed over: a build of one target means nothing to those of others.
void pass_over_outputs(const Job& job, Witness& witness);

/// Everything in the options that the work on a project depends on.
std::string settings_text(const JobOptions& options);

/// Loads the project, checks what it names, asks its runtime, traces it.
Result<Job> trace_project(const JobOptions& options, Observer& observer);

/// The same where only the graph is wanted: that of an earlier trace is as good, as long as nothing changed.
/// `use` is called once it is there, while it is kept for later; it must not change what the trace looked at.
Result<Job> look_at_project(const JobOptions& options, Observer& observer,
                            const std::function<void(const Job&)>& use = {});

/// Traces a job's project anew, after it was changed.
Result<void> trace_again(Job& job, Observer& observer);

/// Takes the graph of an earlier build, where only sources have changed since and ask for the same as before;
/// says whether they do.
Result<bool> rely_on_trace(Job& job, build::KeptBuild& kept);

/// Looks at what would be shipped, before it is: licences, secrets. With `kept`, whose trace the job relies
/// on, only at what has changed since.
Result<review::Review> review_job(Job& job, build::KeptBuild* kept, Observer& observer);

/// What a file is called that tells about an output, beside it; `what` as "trace": several outputs may be in
/// one folder.
std::string record_name(const std::string& output, const std::string& what);

/// Writes a file that tells about an output into the folder of outputs; returns its path.
Result<std::filesystem::path> write_beside_output(const std::filesystem::path& folder,
                                                  const std::string& name, const std::string& text);

/// What NAME.trace.json says of a job.
std::string trace_text(const Job& job);

/// Writes that into the job's output folder; returns the file's path.
Result<std::filesystem::path> write_trace(const Job& job, const std::string& text);

/// Adds a command to the program; `result` takes its exit code when it was called.
void add_build_command(CLI::App& program, int& result);
void add_trace_command(CLI::App& program, int& result);
void add_why_command(CLI::App& program, int& result);
/// `arguments` are those behind `--`.
void add_rehearse_command(CLI::App& program, const std::vector<std::string>& arguments, int& result);
void add_prove_command(CLI::App& program, const std::vector<std::string>& arguments, int& exit_code);
void add_inspect_command(CLI::App& program, int& exit_code);
void add_report_command(CLI::App& program, int& exit_code);
/// `arguments` are those behind `--`.
void add_profile_command(CLI::App& program, const std::vector<std::string>& arguments, int& exit_code);
void add_compare_command(CLI::App& program, int& exit_code);
void add_delta_command(CLI::App& program, int& exit_code);
void add_icon_command(CLI::App& program, int& exit_code);
void add_runtimes_command(CLI::App& program, int& exit_code);
void add_targets_command(CLI::App& program, int& exit_code);
void add_packages_command(CLI::App& program, int& exit_code);
void add_lore_command(CLI::App& program, int& result);
void add_demo_command(CLI::App& program, int& result);

} // namespace omnistasis::cli
