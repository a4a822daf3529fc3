#include "build/kept_build.h"
#include "build/output_place.h"
#include "cli/output_files.h"
#include "cli/proving.h"
#include "cli/side_by_side.h"
#include "native/native_kind.h"
#include "payload/delta.h"
#include "project/project_file.h"
#include "report/history.h"
#include "runtimes/registry.h"
#include "support/files.h"
#include "support/json.h"
#include "trace/capabilities.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <future>
#include <memory>
#include <optional>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

struct BuildOptions : JobOptions {
    bool save = false;
    bool strict = false;
    bool prove = false;
};

/// What compressing made of each group of files.
void print_groups(const payload::PayloadSizes& sizes) {
    if (sizes.groups.empty()) return;
    std::size_t width = 0;
    std::vector<std::pair<std::string, payload::GroupSize>> groups(sizes.groups.begin(), sizes.groups.end());
    std::ranges::stable_sort(groups, std::greater<>(), [](const auto& one) { return one.second.stored; });
    for (const auto& [name, size] : groups) width = std::max(width, name.size());
    std::string how;
    if (sizes.seconds > 0 && sizes.known_blocks < sizes.blocks)
        how =
            fmt::format(", at {}/s{}",
                        size_text(static_cast<std::uint64_t>(static_cast<double>(sizes.raw) / sizes.seconds)),
                        sizes.known_blocks == 0 ? ""
                                                : fmt::format(" ({} of {} blocks were kept from earlier)",
                                                              sizes.known_blocks, sizes.blocks));
    say(stdout, "  {} compressed to {}{}\n", size_text(sizes.raw), size_text(sizes.stored), how);
    for (const auto& [name, size] : groups)
        if (size.raw > 0)
            say(stdout, "    {:{}}  {:>7} -> {:>7}, {:2.0f} % less\n", name, width, size_text(size.raw),
                size_text(size.stored),
                100.0 - 100.0 * static_cast<double>(size.stored) / static_cast<double>(size.raw));
}

/// The largest parts: what each weighs with all that only it needs, and the option that leaves it out.
void print_largest(const build::BuildResult& result) {
    // Of what is less than a thirtieth of the whole nobody has to think.
    std::vector<plan::Contribution> large;
    for (const plan::Contribution& one : result.largest)
        if (one.saves * 33 >= result.tree_size || one.own) large.push_back(one);
    if (large.empty()) return;
    std::size_t width = 4;
    for (const plan::Contribution& one : large) width = std::max(width, one.name.size());
    say(stdout, "  {:{}}  {:>8}  {:>8}\n", "part", width, "alone", "in all");
    for (const plan::Contribution& one : large) {
        // What begins with an underscore is a part of another.
        std::string option = one.own ? "the application's own"
                             : one.needed || one.name.starts_with('_')
                                 ? "needed"
                                 : "--exclude " + one.name + " leaves it out";
        say(stdout, "  {:{}}  {:>8}  {:>8}  {}\n", one.name, width, size_text(one.alone),
            size_text(one.saves), option);
    }
}

/// What goes along because it lies in the application's folder.
void print_own(const Job& job) {
    std::uint64_t count = 0, size = 0;
    for (const trace::Unit& unit : job.graph.units) {
        if (!unit.own || unit.file.empty() || !unit.file.starts_with(job.project.root_folder.string() + "/"))
            continue;
        std::error_code failed;
        std::uint64_t bytes = fs::file_size(unit.file, failed);
        ++count;
        size += failed ? 0 : bytes;
    }
    if (count > 1 && job.project.own_files)
        say(stdout,
            "  of these {} files, {}, are the application's own (--without own-files takes only what "
            "is reached)\n",
            count, size_text(size));
}

/// The first few names, and how many more there are.
std::string some_of(const std::vector<std::string>& names) {
    constexpr std::size_t most_names = 6;
    std::vector<std::string> said(names.begin(), names.begin() + std::min(names.size(), most_names));
    if (names.size() > most_names) said.push_back(fmt::format("{} more", names.size() - most_names));
    return fmt::format("{}", fmt::join(said, ", "));
}

void print_left_out(const trace::Graph& graph) {
    std::vector<std::string> names;
    for (const trace::LeftOut& one : graph.left_out) names.push_back(one.name);
    if (!names.empty())
        say(stdout,
            "  left out, as only packages ask for {} and can do without: {} (--include NAME brings one in)\n",
            names.size() == 1 ? "it" : "them", some_of(names));
    if (!graph.not_carried.empty())
        say(stdout, "  installed, not carried, as nothing asks for {}: {}\n",
            graph.not_carried.size() == 1 ? "it" : "them", some_of(graph.not_carried));
}

void print_summary(const Job& job, const build::BuildResult& result, const BuildOptions& options) {
    std::string path = shown_path(result.output.string());
    if (options.quiet) {
        say(stdout, "{}\n", path);
        return;
    }
    say(stdout, "{}  {}\n", styled(path, Style::bold, STDOUT_FILENO), size_text(result.size));
    say(stdout, "  {} {} for {}, {} mode, with {}\n",
        job.project.form == Form::file ? "one file" : "a folder",
        job.project.form == Form::file ? "that runs alone" : "with all that it needs", result.target,
        mode_word(job.project.mode), result.runtime);
    say(stdout, "  {}, {}, {}; {} in {}\n", plural(result.modules, "module", "modules"),
        plural(result.libraries, "native library", "native libraries"),
        plural(result.data_files, "data file", "data files"), size_text(result.tree_size),
        plural(result.tree_files, "file", "files"));
    // Of most libraries there are no more than a few bytes.
    if (result.stripped_bytes > result.tree_size / 33)
        say(stdout, "  without the debug symbols of {}: {} less (keep_debug_symbols = true keeps them)\n",
            plural(result.stripped_files, "file", "files"), size_text(result.stripped_bytes));
    print_groups(result.payload);
    print_own(job);
    print_largest(result);
    print_left_out(job.graph);
    std::vector<const trace::Absent*> absent;
    for (const trace::Absent& one : job.graph.absent)
        if (!one.of_runtime) absent.push_back(&one);
    if (!absent.empty())
        say(stdout, "  {} that the application can do without {} not there{}\n",
            plural(absent.size(), "import", "imports"), absent.size() == 1 ? "is" : "are",
            options.verbose ? ":" : fmt::format(" (listed in {})", record_name(job.project.name, "trace")));
    if (options.verbose)
        for (const trace::Absent* one : absent)
            say(stdout, "    {}  {}:{}\n", one->name, shown_path(one->file), one->line);
}

void print_json(const Job& job, const build::BuildResult& result) {
    Json json;
    json["format"] = 1;
    json["output"] = result.output.string();
    json["target"] = result.target;
    json["form"] = form_word(job.project.form);
    json["mode"] = mode_word(job.project.mode);
    json["runtime"] = result.runtime;
    json["size"] = result.size;
    json["tree"] = {{"size", result.tree_size}, {"files", result.tree_files}};
    if (!result.payload.groups.empty()) {
        json["compressed"] = {{"raw", result.payload.raw}, {"stored", result.payload.stored}};
        for (const auto& [name, size] : result.payload.groups)
            json["compressed"]["groups"][name] = {{"raw", size.raw}, {"stored", size.stored}};
    }
    json["modules"] = result.modules;
    json["libraries"] = result.libraries;
    json["data_files"] = result.data_files;
    if (result.stripped_files > 0)
        json["debug_symbols"] = {{"files", result.stripped_files}, {"saved", result.stripped_bytes}};
    json["largest"] = Json::array();
    for (const plan::Contribution& one : result.largest)
        json["largest"].push_back(
            {{"name", one.name}, {"alone", one.alone}, {"saves", one.saves}, {"needed", one.needed}});
    json["loose_ends"] = Json::array();
    for (const trace::LooseEnd& end : job.graph.loose_ends)
        json["loose_ends"].push_back(
            {{"kind", end.kind}, {"what", end.what}, {"file", end.file}, {"line", end.line}});
    say(stdout, "{}", json_lines(json));
}

void print_built(const Job& job, const build::BuildResult& result, const BuildOptions& options) {
    if (options.json)
        print_json(job, result);
    else
        print_summary(job, result, options);
    print_loose_ends(job.graph.loose_ends, options.verbose, record_name(job.project.name, "trace"));
}

/// A build stops for credentials and for licences that the project refuses.
Result<void> check_review(const review::Review& review) {
    std::vector<std::string> reasons = review.reasons_to_stop();
    if (reasons.empty()) return {};
    std::string list;
    for (const std::string& reason : reasons) list += "\n  " + shown_path(reason);
    bool secrets = reasons.size() > review.refused.size();
    return fail(ErrorKind::refused, "nothing was built: this should not be given away" + list, "", "",
                secrets
                    ? "take it out of what is shipped (trace.exclude, or the asset's pattern); or, if it "
                      "opens nothing, "
                      "allow it with [[allow]] file, kind and reason in omnistasis.toml"
                    : "leave the package out with --exclude, or change licences.refuse in omnistasis.toml");
}

/// Findings that stop nothing: those of the application's own files one by one, those of packages by number.
void print_findings(const review::Review& review) {
    constexpr std::size_t most = 5;
    std::size_t own = 0, others = 0;
    for (const review::Finding& one : review.findings) {
        if (!one.allowed.empty()) continue;
        if (!one.is_own) {
            ++others;
        } else if (++own <= most) {
            say(stderr, "note: {}{}: {}{}\n", shown_path(one.file),
                one.line == 0 ? "" : fmt::format(":{}", one.line), one.what,
                one.excerpt.empty() ? "" : " (" + one.excerpt + ")");
        }
    }
    if (own > most) say(stderr, "note: {} more findings like these are in the report\n", own - most);
    if (others > 0)
        say(stderr,
            "note: packages hold {} that look like credentials, as examples do; the report lists them\n",
            plural(others, "text", "texts"));
    for (const std::string& rule : review.idle_rules) say(stderr, "note: {}\n", rule);
}

/// What a build is about to replace, kept open: it is compared with what replaces it.
std::optional<payload::PayloadContents> earlier_output(const Job& job) {
    fs::path output = output_of_build(job.project);
    if (!is_there(output)) return std::nullopt;
    auto executable = payload::executable_of(output);
    auto contents = executable ? payload::PayloadContents::open(*executable)
                               : Result<payload::PayloadContents>(pass_on(executable));
    if (!contents) return std::nullopt;
    return std::move(*contents);
}

/// Adds the build to the record of builds beside the output.
Result<void> note_build(const Job& job, const build::BuildResult& result,
                        const std::optional<payload::PayloadContents>& before) {
    fs::path folder = job.project.output_folder(job.project.targets.front());
    std::string name = record_name(job.project.name, "history");
    auto text = is_file(folder / name) ? read_text(folder / name) : Result<std::string>(std::string());
    report::HistoryEntry entry{job.project.version, report::point_in_time(), result.size,
                               result.tree_size,    result.modules,          result.libraries,
                               result.data_files};
    std::optional<report::Comparison> changes;
    if (before)
        if (auto after = payload::PayloadContents::open(result.output))
            if (auto compared = report::compare(*before, *after)) changes = std::move(*compared);
    auto written = write_beside_output(folder, name, report::history_with(text ? *text : "", entry, changes));
    if (!written) return pass_on(written);
    return {};
}

/// A build for another system stops where packages for it are missing, and names all of them.
Result<void> check_packages(const Job& job, const BuildOptions& options) {
    auto* takes = trace::as<trace::TakesPackages>(*job.runtime);
    std::vector<trace::NeededPackage> missing;
    if (takes != nullptr) missing = takes->missing_packages();
    std::erase_if(missing, [](const trace::NeededPackage& one) { return one.is_optional; });
    if (missing.empty()) return {};
    const std::string& target = job.project.targets.front();
    std::string list;
    for (const trace::NeededPackage& one : missing)
        list += fmt::format("\n  {}{}{}", one.name, one.version.empty() ? one.versions : "==" + one.version,
                            one.file.empty() ? ""
                            : one.line == 0  ? "  (" + shown_path(one.file) + ")"
                                             : fmt::format("  ({}:{})", shown_path(one.file), one.line));
    std::string command =
        fmt::format("omnistasis packages fetch {} --target {}", typed_path(job.entry), target);
    if (options.project.runtime) command += " --runtime " + typed_path(*options.project.runtime);
    return fail(ErrorKind::missing,
                fmt::format("{} for {} {} missing{}", plural(missing.size(), "package", "packages"), target,
                            missing.size() == 1 ? "is" : "are", list),
                "", "", command + " brings them");
}

/// Nor can it go without modules that are compiled for this machine only.
Result<void> check_compiled_modules(const Job& job) {
    const std::string& target = job.project.targets.front();
    if (target == host_target()) return {};
    std::string list;
    std::size_t count = 0;
    for (const trace::LooseEnd& end : job.graph.loose_ends) {
        if (end.kind != "unfit-module") continue;
        ++count;
        list += fmt::format("\n  {}:{}: {}\n    {}", shown_path(end.file), end.line, end.what, end.advice);
    }
    if (count == 0) return {};
    return fail(ErrorKind::missing,
                fmt::format("{} for {} {} missing{}", plural(count, "compiled module", "compiled modules"),
                            target, count == 1 ? "is" : "are", list),
                "", "", "build them for it, or leave those that it can do without out with --exclude");
}

/// The target that the options name. `witness` has seen how the project was loaded.
Result<void> build_target(const BuildOptions& options, Project project, Witness& witness) {
    ProgressLine progress(options.quiet);
    auto job = job_of(std::move(project), options);
    if (!job) return progress.clear(), pass_on(job);
    const std::string& target = job->project.targets.front();
    pass_over_outputs(*job, witness);
    build::KeptBuild kept(settings_text(options) + '\4' + target, job->store);
    auto stops = [&] {
        return options.strict && std::ranges::any_of(job->graph.loose_ends,
                                                     [](const trace::LooseEnd& end) { return !end.minor; });
    };
    kept.look();
    // With nothing changed there is nothing to do.
    if (auto made = options.prove || options.save ? std::nullopt : kept.find()) {
        job->graph = std::move(made->traced.graph);
        if (!stops()) return print_built(*job, made->result, options), Result<void>();
    }
    auto relied = rely_on_trace(*job, kept);
    if (!relied) return progress.clear(), pass_on(relied);
    if (!*relied) {
        if (auto traced = trace_again(*job, progress); !traced) return progress.clear(), pass_on(traced);
        if (auto whole = check_packages(*job, options); !whole) return progress.clear(), pass_on(whole);
        if (auto whole = check_compiled_modules(*job); !whole) return progress.clear(), pass_on(whole);
    }
    build::KeptBuild::Reading reading =
        *relied ? kept.reading() : build::KeptBuild::read(*job->runtime, job->graph);
    auto reviewed = review_job(*job, *relied ? &kept : nullptr, progress);
    if (!reviewed) return progress.clear(), pass_on(reviewed);
    reading.review = review::stored_form(*reviewed);
    if (auto fine = check_review(*reviewed); !fine) return progress.clear(), fine;
    if (stops()) {
        progress.clear();
        print_loose_ends(job->graph.loose_ends, true, "");
        return fail(ErrorKind::refused, "nothing was built, because of --strict", "", "there are loose ends",
                    "settle each of them as it says");
    }
    std::optional<payload::PayloadContents> before = earlier_output(*job);
    auto text = std::async(std::launch::async, [&] { return trace_text(*job); });
    auto result = build::build(job->project, *job->runtime, job->graph, *reviewed, *job->host, *job->store,
                               job->installation, job->jobs, progress);
    progress.clear();
    if (std::string trouble = job->store->shared_trouble(); !trouble.empty() && !options.quiet)
        say(stderr, "note: {}\n", trouble);
    if (!result) return pass_on(result);
    auto noting = std::async(std::launch::async, [&] {
        auto noted = note_build(*job, *result, before);
        // The last that holds the earlier output: the system takes its time to give up so large a file.
        before.reset();
        return noted;
    });
    auto trace_file = write_trace(*job, text.get());
    if (!trace_file) return pass_on(trace_file);
    kept.keep({{job->graph, job->runtime_title}, *result}, reading, *trace_file, witness);
    if (auto noted = noting.get(); !noted && !options.quiet)
        say(stderr, "note: the record of builds was not written: {}\n", noted.error().what);
    print_built(*job, *result, options);
    if (!options.quiet) print_findings(*reviewed);
    if (!options.quiet)
        for (const std::string& remark : result->remarks) say(stderr, "note: {}\n", remark);
    if (!options.prove) return {};
    return prove_job(*job, result->output_folder.empty() ? result->output : result->output_folder, options);
}

Result<void> save_project(const BuildOptions& options) {
    auto job = load_job(options);
    if (!job) return pass_on(job);
    job->project.targets = job->targets;
    fs::path file = job->project.folder / "omnistasis.toml";
    if (auto written = write_atomically(file, project_file_text(job->project)); !written) return written;
    if (!options.quiet && !options.json) say(stderr, "saved {}\n", shown_path(file.string()));
    return {};
}

/// Several targets. What they have in common is looked at once: the first goes in front of the others, unless
/// all were built before.
int build_side_by_side(const BuildOptions& options, const Project& project,
                       const std::vector<std::string>& targets, Witness& witness) {
    auto is_known = [&](const std::string& target) {
        return build::OutputPlace::holds_outputs(project.out.empty() ? project.output_folder(target)
                                                                     : project.out / target);
    };
    std::size_t alone = std::ranges::all_of(targets, is_known) ? 0 : 1;
    ProgressLine progress(options.quiet);
    auto build = [&](std::size_t from, std::size_t count) {
        progress.step("building for several systems", targets.size());
        return run_side_by_side(
            count,
            [&](std::size_t number) {
                BuildOptions one = options;
                if (from + number > 0) one.target = targets[from + number]; // the first is what none means
                return finish(build_target(one, project, witness));
            },
            [&] { progress.advance(1); });
    };
    int code = alone == 0 ? 0 : build(0, alone);
    return code != 0 ? code : build(alone, targets.size() - alone);
}

int run_build(const BuildOptions& options) {
    std::optional<Witness> witness(std::in_place);
    auto project = load_project(options.project, settle_entry);
    if (!project) return finish(pass_on(project));
    std::vector<std::string> targets = project->targets;
    // This machine's comes first.
    std::ranges::stable_partition(targets, [](const std::string& one) { return one == host_target(); });
    // Proofs look at the clock, and at windows: they have the machine for themselves.
    if (targets.size() > 1 && !options.prove) {
        if (int code = build_side_by_side(options, *project, targets, *witness); code != exit_done)
            return code;
    } else {
        BuildOptions one = options;
        for (const std::string& target : targets) {
            if (target != targets.front()) {
                // The first is what no target means. Each has a witness of its own.
                one.target = target;
                witness.emplace();
                project = load_project(options.project, settle_entry);
                if (!project) return finish(pass_on(project));
            }
            if (auto done = build_target(one, std::move(*project), *witness); !done) return finish(done);
        }
    }
    return finish(options.save ? save_project(options) : Result<void>());
}

} // namespace

void add_build_command(CLI::App& program, int& exit_code) {
    auto options = std::make_shared<BuildOptions>();
    CLI::App* command = program.add_subcommand("build", "make a standalone executable");
    options->add_to(*command);
    command->add_option("--name", options->project.name, "name the executable (default: as the entry point)")
        ->option_text("NAME");
    command
        ->add_option("--form", options->project.form,
                     "write one `file`, or a `folder` with the executable in it (default: file)")
        ->option_text("FORM");
    command
        ->add_option("--mode", options->project.mode,
                     "start with a terminal, `console`, or without, `window` (default: console)")
        ->option_text("MODE");
    command
        ->add_option("--icon", options->project.icon,
                     "take the icon from this picture: SVG, PNG, JPEG, ICO or ICNS")
        ->option_text("FILE");
    command
        ->add_option(
            "--target", options->project.targets,
            "build for this target; repeat the option for several (default: this machine's; `omnistasis "
            "targets` lists them)")
        ->option_text("TARGET")
        ->allow_extra_args(false);
    command
        ->add_option("--compress", options->project.compression,
                     "compress at this level: `fast`, `balanced` or `small` (default: balanced)")
        ->option_text("LEVEL");
    command
        ->add_option("--state", options->project.states,
                     "keep this file or folder (ending with /), which the application writes, across updates")
        ->option_text("PATH")
        ->allow_extra_args(false);
    command
        ->add_option("--sign", options->project.signing_key,
                     "sign the output with this private Ed25519 key, in PEM")
        ->option_text("KEY");
    command->add_flag("--save", options->save,
                      "keep these options in omnistasis.toml, so that the next build needs none");
    command->add_flag("--strict", options->strict, "stop if there are loose ends");
    command->add_flag("--prove", options->prove,
                      "then run the output in isolation, as `omnistasis prove` does");
    command->footer(
        "Examples:\n"
        "  omnistasis build tides.py\n"
        "      out/linux-x86_64/tides is one file that runs on its own\n"
        "  omnistasis build tideboard/__main__.py --name tideboard --mode window --icon art/tide.svg --save\n"
        "      the same for a package with a window; the options are kept in omnistasis.toml");
    command->callback([options, &exit_code] { exit_code = run_build(*options); });
}

} // namespace omnistasis::cli
