#include "build/output_place.h"
#include "cli/job.h"
#include "cli/output_files.h"
#include "payload/delta.h"
#include "report/bill_of_materials.h"
#include "report/facts.h"
#include "report/history.h"
#include "report/import_figure.h"
#include "report/library_figure.h"
#include "report/page.h"
#include "report/read_me.h"
#include "report/size_map.h"
#include "report/tables.h"
#include "report/time_figures.h"
#include "report/trace_json.h"
#include "support/hash.h"
#include "support/json_field.h"
#include "trace/why.h"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <memory>
#include <set>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

struct ReportOptions : JobOptions {
    std::string subject; ///< an output, or what `build` takes
    std::string folder;
    std::string marked; ///< a name whose way the import figure shows
};

/// What a report is about, as far as it is at hand.
struct Subject {
    std::optional<Job> job;
    std::optional<review::Review> review;
    fs::path output;
    std::optional<PayloadFile> payload; ///< of the output; nothing: nothing was built
    fs::path folder;                    ///< of outputs
    std::string output_name;
};

/// The project's trace and review: those of its last build, where nothing has changed since.
Result<void> take_project(Subject& subject, const JobOptions& options, Observer& observer) {
    auto job = load_job(options);
    if (!job) return pass_on(job);
    build::KeptBuild kept(settings_text(options) + '\4' + job->project.targets.front(), job->store);
    kept.look();
    review::Review review;
    auto made = kept.find();
    if (made && review::from_stored_form(kept.reading().review, review)) {
        job->graph = std::move(made->traced.graph);
        job->runtime_title = made->traced.runtime;
        subject.review = std::move(review);
    } else {
        if (auto traced = trace_again(*job, observer); !traced) return traced;
        auto reviewed = review_job(*job, nullptr, observer);
        if (!reviewed) return pass_on(reviewed);
        subject.review = std::move(*reviewed);
    }
    subject.job.emplace(std::move(*job));
    return {};
}

Result<Subject> find_subject(const ReportOptions& options, std::vector<std::string>& missing,
                             Observer& observer) {
    Subject subject;
    if (is_output(options.subject)) {
        auto files = find_output(options.subject);
        if (!files) return pass_on(files);
        subject.folder = files->folder;
        subject.output_name = files->name;
        auto payload = PayloadFile::of(options.subject);
        if (!payload) return pass_on(payload);
        subject.output = options.subject;
        subject.payload.emplace(std::move(*payload));
        if (auto of_project = options_of_project(*files, options)) {
            // The build named neither folder nor name, where these are the project's own.
            JobOptions plain = *of_project;
            plain.project.out.reset();
            plain.project.name.reset();
            if (!take_project(subject, plain, observer))
                missing.push_back("The project that it was built from is not as it was: licences are told as "
                                  "the output has them, and "
                                  "nothing is said of secrets and variables.");
        } else {
            missing.push_back("The project that it was built from is not at hand: nothing is said of secrets "
                              "and variables.");
        }
        return subject;
    }
    JobOptions of_project = options;
    of_project.project.entry = options.subject;
    take_runtime_of_build(of_project);
    if (auto done = take_project(subject, of_project, observer); !done) return pass_on(done);
    const Project& project = subject.job->project;
    subject.folder = project.output_folder(project.targets.front());
    subject.output_name = project.name;
    subject.output = output_of_build(project);
    if (auto payload = PayloadFile::of(subject.output))
        subject.payload.emplace(std::move(*payload));
    else
        missing.push_back(fmt::format("It was not built yet for {}: sizes are those of the sources, and "
                                      "nothing is said of the system that "
                                      "it needs. Build it with `omnistasis build`.",
                                      project.targets.front()));
    return subject;
}

void take_project_texts(report::Facts& facts, const Project& project) {
    facts.name = project.name;
    facts.title = project.title;
    facts.version = project.version;
    facts.publisher = project.publisher;
    facts.summary = project.summary;
    facts.homepage = project.homepage;
    facts.licence = project.licence;
    facts.target = project.targets.front();
    facts.project_folder = project.folder.string();
    facts.form = form_word(project.form);
    facts.mode = mode_word(project.mode);
}

/// What the output needs of the system it runs on.
Result<void> take_system(report::Facts& facts, const fs::path& executable,
                         const build::Installation& installation, const Drawing& drawing) {
    native::LoaderModel loader;
    report::Inspection inspection = report::inspect_file(executable.string(), loader);
    if (!inspection.error.empty())
        return fail(ErrorKind::bad_input, "the output can't be read", executable, inspection.error,
                    "get it anew, or build it again");
    auto host = native::HostLibraries::read(installation.data, facts.target);
    auto systems = native::known_systems(installation.data, facts.target);
    if (!host) return pass_on(host);
    if (!systems) return pass_on(systems);
    report::count_host_libraries(inspection, *host);
    std::set<std::string> taken;
    for (const report::Inspection::NativeFile& file : inspection.native_files)
        for (const std::string& name : file.needed)
            if (host->find(name) != nullptr) taken.insert(name);
    facts.host_libraries.assign(taken.begin(), taken.end());
    std::vector<native::CLibraryNeed> needs = inspection.oldest.needs();
    std::string kernel =
        inspection.oldest.kernel().version.empty()
            ? ""
            : fmt::format("Linux {} or newer", native::version_text(inspection.oldest.kernel().version));
    if (!needs.empty()) {
        facts.oldest_system = fmt::format("glibc {} or newer{}", native::version_text(needs.front().version),
                                          kernel.empty() ? "" : " and " + kernel);
        for (const native::KnownSystem& system : *systems)
            if (system.version >= needs.front().version) facts.known_systems.push_back(system.name);
        for (const native::CLibraryNeed& need : needs) {
            if (need.version != needs.front().version || facts.sets_the_bar.size() == 5) break;
            facts.sets_the_bar.push_back(need.file + (need.symbol.empty() ? "" : " takes " + need.symbol));
        }
    } else if (inspection.oldest.brings_c_library() && !kernel.empty()) {
        facts.oldest_system = kernel + ", with any C library or none";
    } else if (!inspection.oldest.system().version.empty()) {
        facts.oldest_system = inspection.oldest.system().name();
    }
    std::vector<report::Inspection> inspections;
    inspections.push_back(std::move(inspection));
    auto figure = report::library_figure(report::library_graph(inspections, *host),
                                         "Native files of " + executable.filename().string(), drawing);
    if (!figure) return pass_on(figure);
    facts.library_svg = std::move(*figure);
    return {};
}

/// What the review knows of components and the output does not.
void take_review(report::Facts& facts, const review::LicenceList& licences) {
    if (facts.review) {
        for (const review::Component& one : facts.review->components.all) {
            auto known = std::ranges::find(facts.components, one.name, &report::ComponentFacts::name);
            if (known == facts.components.end()) {
                if (!facts.output.empty()) continue;
                facts.components.push_back(
                    {one.name, one.version, review::word_of(one.kind), one.licence, "", one.url, "", "", ""});
                known = facts.components.end() - 1;
            }
            known->licence = one.licence;
            known->said_by = one.said_by;
            known->homepage = one.homepage;
        }
    }
    for (report::ComponentFacts& one : facts.components) {
        const review::LicenceFamily& family = licences.family_of(one.licence);
        one.family = family.name;
        one.asks = family.asks;
    }
}

Json json_beside(const fs::path& file, std::vector<std::string>& missing) {
    auto text = is_file(file) ? read_text(file) : Result<std::string>(std::string());
    if (!text || text->empty()) return nullptr;
    auto json = parse_json(*text);
    if (field_or(json, "format", 0) == 1) return json;
    missing.push_back(
        fmt::format("{} can't be read: it is damaged, or of a newer format.", file.filename().string()));
    return nullptr;
}

/// Writes the files of a report, each at once; what somebody else has put into the folder stays.
class ReportFolder {
  public:
    ReportFolder(fs::path folder, const Drawing& drawing) : folder_(std::move(folder)), drawing_(drawing) {}

    Result<void> add(const std::string& name, const std::string& text) {
        auto written = write_beside_output(folder_, name, text);
        if (!written) return pass_on(written);
        names_.push_back(name);
        return {};
    }

    Result<void> add_figure(const std::string& name, const std::string& svg) {
        if (svg.empty()) return {};
        if (auto done = add(name + ".svg", svg); !done) return done;
        auto place = build::OutputPlace::prepare(folder_, name + ".png");
        if (!place) return pass_on(place);
        auto staging = StagingFolder::make(folder_, name);
        if (!staging) return pass_on(staging);
        fs::path made = staging->path() / (name + ".png");
        if (auto drawn = drawing_.write(svg, made); !drawn) return drawn;
        names_.push_back(name + ".png");
        return place->put(made);
    }

    const std::vector<std::string>& names() const { return names_; }

  private:
    fs::path folder_;
    const Drawing& drawing_;
    std::vector<std::string> names_;
};

Result<void> run_report(const ReportOptions& options) {
    ProgressLine progress(options.quiet);
    auto installation = build::Installation::find();
    if (!installation) return pass_on(installation);
    auto licences = review::LicenceList::read(installation->data);
    if (!licences) return pass_on(licences);
    auto drawing = Drawing::open(installation->launchers);
    if (!drawing) return pass_on(drawing);
    report::Facts facts;
    auto subject = find_subject(options, facts.missing, progress);
    if (!subject) return progress.clear(), pass_on(subject);
    progress.step("reporting", 0);
    if (subject->job) take_project_texts(facts, subject->job->project);
    if (facts.target.empty()) facts.target = host_target();
    facts.review = std::move(subject->review);
    std::string output_hash;
    if (subject->payload) {
        const fs::path& executable = subject->payload->path();
        report::Facts without = facts;
        auto contents = payload::PayloadContents::open(executable);
        auto taken = contents ? report::take_output(facts, *contents, executable.string())
                              : Result<void>(pass_on(contents));
        if (taken) taken = take_system(facts, executable, *installation, *drawing);
        // Of a project there is more to tell than of its output.
        if (!taken && !subject->job) return progress.clear(), taken;
        if (taken) {
            output_hash = hex(sha256(contents->bytes()));
        } else {
            facts = std::move(without);
            facts.missing.push_back(fmt::format(
                "Its output can't be read: {}. Build it again with `omnistasis build`.", taken.error().why));
        }
    }
    const std::string trace_name = record_name(subject->output_name, "trace"),
                      proof_name = record_name(subject->output_name, "proof"),
                      profile_name = record_name(subject->output_name, "profile");
    if (subject->job) {
        report::take_graph(facts, std::move(subject->job->graph));
        if (facts.runtime.empty()) facts.runtime = subject->job->runtime_title;
    } else if (auto text = read_text(subject->folder / trace_name)) {
        auto graph = report::graph_from_trace_json(*text, (subject->folder / trace_name).string());
        if (graph)
            report::take_graph(facts, std::move(*graph));
        else
            facts.missing.push_back("Why parts are in it is not told: " + graph.error().why + ".");
    } else {
        facts.missing.push_back(
            fmt::format("Why parts are in it is not told: there is no {} beside the output.", trace_name));
    }
    take_review(facts, *licences);
    facts.proof = json_beside(subject->folder / proof_name, facts.missing);
    facts.profile = json_beside(subject->folder / profile_name, facts.missing);
    auto is_older = [&](const std::string& name) {
        if (!subject->payload) return false;
        std::error_code failed;
        auto made = fs::last_write_time(
            is_folder(subject->output) ? subject->payload->path() : subject->output, failed);
        return fs::last_write_time(subject->folder / name, failed) < made && !failed;
    };
    if (facts.proof.is_object() && is_older(proof_name)) {
        facts.proof["of_earlier_build"] = true;
        facts.missing.push_back("The proof is of an earlier build: `omnistasis prove` makes a new one.");
    }
    if (facts.profile.is_object() && is_older(profile_name))
        facts.missing.push_back(
            "The times of the start are those of an earlier build: `omnistasis profile` measures anew.");
    if (auto text = read_text(subject->folder / record_name(subject->output_name, "history")))
        report::take_history(facts, *text);

    facts.size_svg = report::size_map(facts);
    std::string title = facts.title.empty() ? facts.name : facts.title;
    if (!facts.graph.units.empty()) {
        if (!options.marked.empty() && trace::units_named(facts.graph, options.marked).empty())
            return progress.clear(), fail(ErrorKind::bad_input, "no part has that name", options.marked, "",
                                          "`omnistasis trace -v` lists all names");
        auto figure = report::import_figure(facts, options.marked, *drawing);
        if (figure)
            facts.import_svg = std::move(*figure);
        else
            facts.missing.push_back("The figure of imports could not be drawn: " + figure.error().what + ".");
    }
    try {
        if (facts.profile.is_object())
            facts.start_svg = report::start_figure(facts.profile, "What a start of " + title + " goes to");
    } catch (const Json::exception&) {
        facts.profile = nullptr;
        facts.missing.push_back(
            "The times of its start are damaged: measure again with `omnistasis profile`.");
    }
    if (facts.history.size() > 1)
        facts.history_svg = report::history_figure(facts.history, "Builds of " + title);

    fs::path folder = options.folder.empty() ? subject->folder / (subject->output_name + " report")
                                             : fs::absolute(options.folder).lexically_normal();
    if (is_there(folder) && !is_folder(folder))
        return progress.clear(), fail(ErrorKind::bad_input, "a file is in the way of the report", folder,
                                      "a report is a folder", "name another folder with -o");
    ReportFolder out(folder, *drawing);
    std::string version = OMNISTASIS_VERSION;
    std::string read_me, read_me_name = "review/read-me.txt";
    fs::path read_me_file = installation->data / read_me_name;
    if (subject->job && !subject->job->project.read_me_template.empty()) {
        read_me_file = subject->job->project.folder / subject->job->project.read_me_template;
        read_me_name = read_me_file.string();
    }
    auto template_text = read_text(read_me_file);
    if (!template_text) return progress.clear(), pass_on(template_text);
    auto page_text = read_text(installation->data / "report/page.html");
    if (!page_text) return progress.clear(), pass_on(page_text);
    auto filled = report::read_me_text(facts, *template_text, read_me_name);
    if (!filled) return progress.clear(), pass_on(filled);
    std::vector<std::pair<std::string, std::string>> texts{
        {"index.html", report::report_page(facts, *page_text)},
        {"facts.json", report::facts_json(facts)},
        {"parts.csv", report::pieces_csv(facts)},
        {"components.csv", report::components_csv(facts)},
        {"bom.cdx.json", report::cyclonedx_json(facts, output_hash, version)},
        {"bom.spdx.json", report::spdx_json(facts, output_hash, version, report::point_in_time())},
        {"READ-ME.txt", *filled}};
    if (facts.review)
        texts.emplace_back(review::notice_place, review::notice_text(facts.review->components, title));
    for (const auto& [name, text] : texts)
        if (auto done = out.add(name, text); !done) return progress.clear(), done;
    for (const auto& [name, svg] : {std::pair<std::string, std::string>{"size-map", facts.size_svg},
                                    {"imports", facts.import_svg},
                                    {"libraries", facts.library_svg},
                                    {"start", facts.start_svg},
                                    {"history", facts.history_svg}})
        if (auto done = out.add_figure(name, svg); !done) return progress.clear(), done;
    progress.clear();
    if (options.json) {
        say(stdout, "{}", report::facts_json(facts));
        return {};
    }
    std::string page = shown_path((folder / "index.html").string());
    if (options.quiet) {
        say(stdout, "{}\n", page);
        return {};
    }
    say(stdout, "{}  {}, {}\n", styled(page, Style::bold, STDOUT_FILENO),
        plural(facts.pieces.size(), "part", "parts"),
        plural(facts.components.size(), "component", "components"));
    say(stdout, "  beside it: {}\n", fmt::join(out.names().begin() + 1, out.names().end(), ", "));
    for (const std::string& one : facts.missing) say(stderr, "note: {}\n", one);
    return {};
}

} // namespace

void add_report_command(CLI::App& program, int& exit_code) {
    auto options = std::make_shared<ReportOptions>();
    CLI::App* command = program.add_subcommand(
        "report", "write what there is to know of a project or an output, as a page with figures");
    command
        ->add_option("PROJECT", options->subject,
                     "an output, or the entry or folder of a project (default: this folder)")
        ->option_text(" ");
    command
        ->add_option("-o,--out", options->folder,
                     "write the report to this folder (default: beside the output)")
        ->option_text("FOLDER");
    command->add_option("--mark", options->marked, "show the way to this module in the figure of imports")
        ->option_text("NAME");
    command
        ->add_option("--runtime", options->project.runtime,
                     "use this interpreter (default: that of the last build)")
        ->option_text("PATH");
    command->add_option("--target", options->target, "choose this target, where the project has several")
        ->option_text("TARGET");
    command->add_flag("-q,--quiet", options->quiet, "print errors and the result only");
    command->add_flag("--json", options->json, "print the facts as one JSON object, too");
    command->footer("Examples:\n"
                    "  omnistasis report -o report\n"
                    "      report/index.html tells of the project in this folder, with figures, tables and "
                    "bills of materials beside it\n"
                    "  omnistasis report out/linux-x86_64/tides --mark numpy\n"
                    "      the same of an output; the figure of imports shows the way to numpy");
    command->callback([options, &exit_code] { exit_code = finish(run_report(*options)); });
}

} // namespace omnistasis::cli
