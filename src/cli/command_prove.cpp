#include "cli/output_files.h"
#include "cli/proving.h"
#include "dress/opened_bundle.h"
#include "native/native_kind.h"
#include "payload/payload_contents.h"
#include "support/files.h"
#include "support/json.h"
#include "support/target_info.h"
#include "watch/proof_script.h"

#include <fmt/format.h>
#include <memory>

namespace omnistasis::cli {

namespace {

struct ProveOptions : JobOptions {
    std::string output;
    std::string script;
    std::string input;
    std::vector<std::string> variables;
    watch::ProofRun run;
    int exit_code = -1;
};

/// What a bundle is for: as the build says beside it, else as its folder is called, else as its launcher is.
std::string target_of_bundle(const OutputFiles& files) {
    auto options = options_of_project(files, {});
    std::string target = options ? options->target : files.folder.filename().string();
    if (find_target(target) != nullptr) return target;
    auto payload = PayloadFile::of(files.output);
    native::NativeKind kind =
        native::kind_of(payload ? payload::launcher_of_payload(payload->path()).string() : "");
    return kind.targets.empty() ? known_targets().back() : kind.targets.front();
}

Result<void> run_prove(ProveOptions& options) {
    ProgressLine progress(options.quiet);
    fs::path named = fs::absolute(options.output).lexically_normal();
    if (named.filename().empty()) named = named.parent_path();
    bool is_bundle = dress::is_bundle(named);
    auto files = find_output(options.output);
    if (!files) return pass_on(files);
    for (const std::string& variable : options.variables) {
        std::size_t equal = variable.find('=');
        if (equal == std::string::npos)
            return fail(ErrorKind::usage, "a variable needs a value", "--set " + variable, "",
                        "--set NAME=VALUE");
        options.run.variables[variable.substr(0, equal)] = variable.substr(equal + 1);
    }
    if (!options.input.empty()) {
        auto input = read_text(options.input);
        if (!input) return pass_on(input);
        options.run.input = std::move(*input);
    }
    if (options.run.display && options.run.against_source)
        return fail(ErrorKind::usage, "a run with a window is not compared with its source",
                    "--display --against-source", "it is ended once its window has settled",
                    "say one of both");
    if (options.exit_code >= 0) options.run.exit_code = options.exit_code;
    auto job = project_of(*files, options, progress);
    progress.clear();
    std::vector<watch::ProofRun> runs{options.run};
    fs::path script = options.script;
    bool nothing_said = options.run.arguments.empty() && !options.run.display && options.script.empty();
    if (nothing_said && job && is_file(proof_script_of(job->project))) script = proof_script_of(job->project);
    if (!script.empty()) {
        auto read = watch::read_proof_script(script);
        if (!read) return pass_on(read);
        runs = std::move(*read);
        for (watch::ProofRun& run : runs) {
            run.against_source |= options.run.against_source;
            run.allowed.insert(run.allowed.end(), options.run.allowed.begin(), options.run.allowed.end());
        }
    }
    native::NativeKind kind = native::kind_of(files->executable());
    std::string target = is_bundle                           ? target_of_bundle(*files)
                         : !kind || kind.fits(host_target()) ? host_target()
                         : kind.targets.empty()              ? "another system"
                                                             : kind.targets.front();
    if (!job && !options.quiet && !options.json)
        say(stderr, "its project is not at hand ({}): what is missing can be told by absolute paths only\n",
            job.error().what);
    std::optional<native::HostLibraries> host;
    fs::path data;
    if (job)
        host = job->host;
    else {
        auto installation = build::Installation::find();
        if (!installation) return pass_on(installation);
        data = installation->data;
        auto read = native::HostLibraries::read(data, target);
        if (!read) return pass_on(read);
        host = std::move(*read);
        auto contents = payload::PayloadContents::open(files->executable());
        if (contents && !contents->description().loader.empty()) host->carry_c_library();
    }
    watch::ProofSubject subject{files->output,
                                files->program,
                                target,
                                job ? job->installation.data : data,
                                &*host,
                                job ? &job->project : nullptr,
                                job ? job->runtime.get() : nullptr,
                                job ? &job->graph : nullptr};
    return prove_and_print(subject, runs, files->folder, files->name, options);
}

} // namespace

void add_prove_command(CLI::App& program, const std::vector<std::string>& arguments, int& exit_code) {
    auto options = std::make_shared<ProveOptions>();
    options->run.arguments = arguments;
    CLI::App* command = program.add_subcommand(
        "prove", "run an output without this machine around it, and tell what it missed");
    command->add_option("OUTPUT", options->output, "the executable, or the folder that `build` has made")
        ->required()
        ->option_text(" ");
    command->add_flag("--against-source", options->run.against_source,
                      "run the source with the same arguments and compare");
    command
        ->add_option("--script", options->script,
                     "run what this file lists (default: NAME.proof.toml in the project)")
        ->option_text("FILE");
    command->add_option("--input", options->input, "give it this file on standard input")
        ->option_text("FILE");
    command->add_option("--exit-code", options->exit_code, "expect this exit code (default: 0)")
        ->option_text("N")
        ->check(CLI::Range(0, 0x7FFFFFFF));
    command->add_option("--set", options->variables, "set this variable of its environment, as LANG or TZ")
        ->option_text("NAME=VALUE")
        ->allow_extra_args(false);
    command->add_option("--clock", options->run.clock, "start it at this point in time")
        ->option_text("'Y-M-D H:M:S'")
        ->check([](const std::string& text) {
            return watch::is_point_in_time(text)
                       ? std::string()
                       : text + " is not a point in time like '2024-02-29 12:00:00'";
        });
    command->add_flag("--network", options->run.network, "let it use the network");
    command->add_flag("--display", options->run.display,
                      "give it a virtual display, and take a picture of its window");
    command
        ->add_option("--picture", options->run.picture,
                     "write the picture to this file (default: NAME-window.png beside the output)")
        ->option_text("FILE.png");
    command->add_option("--seconds", options->run.seconds, "end a run after this time (default: 60)")
        ->option_text("N")
        ->check(CLI::PositiveNumber);
    command
        ->add_option("--allow", options->run.allowed,
                     "accept this finding, or findings that fit this pattern")
        ->option_text("PATTERN")
        ->allow_extra_args(false);
    command->add_flag("-q,--quiet", options->quiet, "print errors and the result only");
    command->add_flag("-v,--verbose", options->verbose, "print everything that was seen");
    command->add_flag("--json", options->json, "print the result as one JSON object");
    command->footer("What follows `--` are the application's own arguments.\n"
                    "Examples:\n"
                    "  omnistasis prove out/linux-x86_64/tides --against-source -- --station halcyon\n"
                    "      does it do the same as from source, with nothing of this machine?\n"
                    "  omnistasis prove out/linux-x86_64/tideboard --display -- window\n"
                    "      does its window open? A picture shows it");
    command->callback([options, &exit_code] { exit_code = finish(run_prove(*options)); });
}

} // namespace omnistasis::cli
