#include "cli/job.h"
#include "runtimes/registry.h"
#include "support/json.h"
#include "trace/capabilities.h"

#include <fmt/format.h>
#include <memory>
#include <set>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

struct PackagesOptions : JobOptions {
    std::string from;
};

void print(const trace::FetchedPackages& fetched, const PackagesOptions& options) {
    if (options.verbose)
        for (const std::string& command : fetched.commands) say(stderr, "{}\n", command);
    if (options.quiet) return;
    for (const std::string& one : fetched.lacking)
        say(stderr, "note: there is no package {} for that system; the application can do without\n", one);
    for (const auto& one : fetched.packages)
        say(stdout, "{}  {}  {}\n", styled(one.name, Style::bold, STDOUT_FILENO), one.version, one.file);
}

/// Traces for the target again and again, until no package is missing: those that were brought ask for more.
Result<std::size_t> fetch_for(PackagesOptions options, const std::string& target) {
    options.target = target;
    std::set<std::string> asked;
    std::size_t count = 0;
    while (true) {
        ProgressLine progress(options.quiet);
        auto job = trace_project(options, progress);
        if (!job) return progress.clear(), pass_on(job);
        auto* takes = trace::as<trace::TakesPackages>(*job->runtime);
        if (takes == nullptr)
            return progress.clear(),
                   fail(ErrorKind::bad_input, "this application takes no packages for other systems",
                        job->entry, "", "build it as it is");
        std::vector<trace::NeededPackage> missing = takes->missing_packages();
        // What was brought once and is missing still is named otherwise than it calls itself.
        std::erase_if(missing,
                      [&](const trace::NeededPackage& one) { return !asked.insert(one.name).second; });
        if (missing.empty()) return progress.clear(), count;
        auto fetched = takes->fetch_packages(missing, options.from, progress);
        progress.clear();
        if (!fetched) return pass_on(fetched);
        print(*fetched, options);
        count += fetched->packages.size();
    }
}

Result<void> run_fetch(const PackagesOptions& options) {
    auto job = load_job(options);
    if (!job) return pass_on(job);
    std::size_t count = 0;
    bool any = false;
    for (const std::string& target : job->targets) {
        if (target == host_target()) continue;
        any = true;
        auto brought = fetch_for(options, target);
        if (!brought) return pass_on(brought);
        count += *brought;
    }
    if (!any)
        return fail(ErrorKind::usage, "packages are fetched for other systems than this machine's", "",
                    "the project has no such target", "name one with --target");
    if (!options.quiet)
        say(stderr, "{}\n",
            count == 0 ? std::string("nothing is missing")
                       : plural(count, "package", "packages") + " brought");
    return {};
}

struct CleanOptions {
    unsigned idle_days = 90;
    bool shows = false;
    bool json = false;
};

Result<void> run_clean(const CleanOptions& options) {
    auto use = look_through_packages(std::chrono::days(options.idle_days), !options.shows);
    if (!use) return pass_on(use);
    if (options.json) {
        Json json{{"format", 1},
                  {"packages", use->packages},
                  {"bytes", use->bytes},
                  {"idle_packages", use->idle_packages},
                  {"idle_bytes", use->idle_bytes},
                  {"removed", !options.shows}};
        say(stdout, "{}", json_lines(json));
        return {};
    }
    std::string days = plural(options.idle_days, "day", "days");
    if (use->idle_packages == 0)
        say(stdout, "{} of {}, all of them used within {}\n", plural(use->packages, "package", "packages"),
            size_text(use->bytes), days);
    else
        say(stdout, "{} {} that no build used for {}: {} of {}\n", options.shows ? "there are" : "removed",
            plural(use->idle_packages, "package", "packages"), days, size_text(use->idle_bytes),
            size_text(use->bytes));
    return {};
}

} // namespace

void add_packages_command(CLI::App& program, int& exit_code) {
    CLI::App* command =
        program.add_subcommand("packages", "the packages of other systems that a project needs");
    command->require_subcommand(1);
    auto options = std::make_shared<PackagesOptions>();
    CLI::App* fetch =
        command->add_subcommand("fetch", "bring those that are missing, and note them in omnistasis.lock");
    options->add_to(*fetch);
    fetch
        ->add_option("--target", options->project.targets,
                     "the system that it is built for, again for further ones")
        ->option_text("T");
    fetch->add_option("--from", options->from, "take them from a folder of wheels, without a network")
        ->option_text("FOLDER");
    fetch->callback([options, &exit_code] { exit_code = finish(run_fetch(*options)); });
    fetch->footer("Examples:\n"
                  "  omnistasis packages fetch app.py --target windows-x86_64\n"
                  "      the packages that it needs on Windows, in the versions that are installed here\n"
                  "  omnistasis packages fetch --from wheels\n"
                  "      for all targets of the project in this folder, from files that are there already");
    auto cleaning = std::make_shared<CleanOptions>();
    CLI::App* clean = command->add_subcommand("clean", "remove those that no build has used for a while");
    clean
        ->add_option("--idle", cleaning->idle_days, "those that were not used for so many days (default: 90)")
        ->option_text("DAYS")
        ->check(CLI::Range(0, 100000));
    clean->add_flag("--show", cleaning->shows, "only tell what would go");
    clean->add_flag("--json", cleaning->json, "print the result as one JSON object");
    clean->callback([cleaning, &exit_code] { exit_code = finish(run_clean(*cleaning)); });
    clean->footer(
        "A project whose lock names one that is gone asks for `omnistasis packages fetch`, which brings it "
        "again.");
    command->footer("Examples:\n"
                    "  omnistasis packages fetch app.py --target windows-x86_64\n"
                    "      everything that it needs there; `omnistasis build` takes it from now on\n"
                    "  omnistasis packages clean --idle 30 --show\n"
                    "      what takes room on this machine, and no build of the last month used");
}

} // namespace omnistasis::cli
