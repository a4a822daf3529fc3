#include "cli/job.h"
#include "cli/proving.h"
#include "support/files.h"

#include <fmt/format.h>
#include <memory>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

struct DemoOptions {
    std::string folder = "tideboard-demo";
    std::string runtime;
};

constexpr const char* marker = ".omnistasis-demo";

/// Copies the demo to a folder that is new or that an earlier demo made.
Result<void> copy_demo(const fs::path& from, const fs::path& to) {
    std::error_code failed;
    if (fs::exists(to, failed) && !fs::exists(to / marker, failed) && !fs::is_empty(to, failed))
        return fail(ErrorKind::bad_input, "the folder for the demo is not empty", to,
                    "only what an earlier demo made is replaced",
                    "name another folder: omnistasis demo FOLDER");
    fs::create_directories(to, failed);
    if (failed)
        return fail(ErrorKind::unwritable, "can't make the folder for the demo", to, failed.message(),
                    "name another folder: omnistasis demo FOLDER");
    fs::copy(from, to, fs::copy_options::recursive | fs::copy_options::overwrite_existing, failed);
    if (failed) return fail(ErrorKind::unwritable, "can't copy the demo", to, failed.message());
    return write_atomically(to / marker, "Made by `omnistasis demo`, which may replace what is here.\n");
}

void headline(const std::string& text) {
    say(stdout, "\n{}\n", styled(text, Style::bold, STDOUT_FILENO));
    std::fflush(stdout);
}

Result<void> build_and_run(const fs::path& folder, const DemoOptions& demo, const std::string& form) {
    JobOptions options;
    options.project.entry = folder.string();
    options.project.form = form;
    if (!demo.runtime.empty()) options.project.runtime = demo.runtime;
    if (form == "folder") options.project.out = (folder / "out/linux-x86_64-folder").string();
    ProgressLine progress(false);
    auto job = trace_project(options, progress);
    if (!job) return progress.clear(), pass_on(job);
    auto reviewed = review_job(*job, nullptr, progress);
    if (!reviewed) return progress.clear(), pass_on(reviewed);
    auto result = build::build(job->project, *job->runtime, job->graph, *reviewed, *job->host, *job->store,
                               job->installation, job->jobs, progress);
    progress.clear();
    if (!result) return pass_on(result);
    say(stdout, "  made   {}  {}\n         from {} modules, {} native libraries and {} data files\n",
        shown_path(result->output.string()), size_text(result->size), result->modules, result->libraries,
        result->data_files);
    fs::path output = result->output_folder.empty() ? result->output : result->output_folder;
    if (auto written = write_trace(*job, trace_text(*job)); !written) return pass_on(written);
    say(stdout, "\n");
    std::fflush(stdout);
    return prove_job(*job, output, options);
}

Result<void> run_demo(const DemoOptions& demo) {
    auto installation = build::Installation::find();
    if (!installation) return pass_on(installation);
    fs::path folder = fs::absolute(demo.folder).lexically_normal();
    say(stdout,
        "Tideboard is a small application of the harbour office of Port Halcyon: tide tables from harmonic\n"
        "constants and berth clearances for ships. It is a package with data files, a plugin that is\n"
        "found by a name in its settings, a native library of its own, and a window.\n");
    headline("1. Its source goes to " + shown_path(folder.string()));
    if (auto copied = copy_demo(installation->data / "demo/tideboard", folder); !copied) return copied;
    say(stdout, "  omnistasis.toml says what is special about it:\n");
    auto text = read_text(folder / "omnistasis.toml");
    if (!text) return pass_on(text);
    for (std::size_t start = 0; start < text->size();) {
        std::size_t end = std::min(text->find('\n', start), text->size());
        say(stdout, "    {}\n", text->substr(start, end - start));
        start = end + 1;
    }
    headline("2. One file:  omnistasis build " + shown_path(folder.string()));
    if (auto done = build_and_run(folder, demo, "file"); !done) return done;
    headline("3. A folder:  omnistasis build " + shown_path(folder.string()) + " --form folder");
    if (auto done = build_and_run(folder, demo, "folder"); !done) return done;
    headline("What to try next");
    std::string program = shown_path((folder / "out/linux-x86_64/tideboard").string());
    if (program.find('/') == std::string::npos) program = "./" + program;
    std::string project = shown_path(folder.string());
    for (const auto& [command, purpose] : std::vector<std::pair<std::string, const char*>>{
             {program + " stations", "the harbour's stations"},
             {program + " berths --draught 7.4", "which berths a ship may use, and when"},
             {program + " window", "the tide curve in a window"},
             {"omnistasis why libffi.so.8 " + project, "why something is in it"},
             {"omnistasis trace " + project, "all that it needs"}})
        say(stdout, "  {:{}}  {}\n", command, program.size() + 21, purpose);
    return {};
}

} // namespace

void add_demo_command(CLI::App& program, int& exit_code) {
    auto options = std::make_shared<DemoOptions>();
    CLI::App* command =
        program.add_subcommand("demo", "copy an example application to a folder, build it and run it");
    command->add_option("FOLDER", options->folder, "where it goes (default: tideboard-demo)")
        ->option_text(" ");
    command->add_option("--runtime", options->runtime, "build it with this interpreter")->option_text("PATH");
    command->footer("Examples:\n"
                    "  omnistasis demo\n"
                    "      the whole example in ./tideboard-demo, with explanations\n"
                    "  omnistasis demo /tmp/harbour --runtime /usr/bin/python3\n"
                    "      elsewhere, and with another interpreter");
    command->callback([options, &exit_code] { exit_code = finish(run_demo(*options)); });
}

} // namespace omnistasis::cli
