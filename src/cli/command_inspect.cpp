#include "cli/inspection_text.h"
#include "cli/output_files.h"
#include "report/inspection.h"
#include "report/library_figure.h"
#include "support/files.h"
#include "support/target_info.h"

#include <algorithm>
#include <fmt/format.h>
#include <memory>
#include <mutex>
#include <oneapi/tbb/enumerable_thread_specific.h>

namespace omnistasis::cli {

namespace {

struct InspectOptions {
    std::string file;
    std::string extract;
    std::string figure;
    bool verify = false;
    bool json = false;
    bool verbose = false;
};

using report::Inspection;

/// What stands on every system, and which systems there are.
struct Surroundings {
    native::HostLibraries host;
    std::vector<native::KnownSystem> systems;
};

/// Of one of many files what the folder's listing takes.
struct Listed {
    std::string file;
    std::string text;
    bool lacks = false;
    native::OldestSystem oldest;
};

/// Draws the files' graph where a figure is wanted.
Result<void> draw(const std::vector<Inspection>& inspections, const fs::path& subject,
                  const InspectOptions& options, const Surroundings& around,
                  const build::Installation& installation) {
    if (options.figure.empty()) return {};
    auto drawing = Drawing::open(installation.launchers);
    if (!drawing) return pass_on(drawing);
    auto graph = report::library_graph(inspections, around.host);
    auto figure = report::library_figure(graph, "Native files of " + subject.filename().string(), *drawing);
    if (!figure) return pass_on(figure);
    return drawing->write(*figure, fs::absolute(options.figure));
}

/// Prints what is in a folder: as JSON, each file, or only those in which something is missing.
Result<void> inspect_folder(const fs::path& folder, const InspectOptions& options, const Surroundings& around,
                            const build::Installation& installation) {
    // What a large folder takes is left to the system when the program ends.
    static native::LoaderModel loader;
    static oneapi::tbb::enumerable_thread_specific<std::vector<Listed>> made;
    oneapi::tbb::enumerable_thread_specific<report::HostNames> names(
        [&] { return report::HostNames(around.host); });
    std::mutex keeping;
    std::vector<Inspection> inspections; // for the figure
    report::inspect_folder(folder, loader, [&](Inspection&& inspection) {
        Listed listed{inspection.file, {}, false, {}};
        listed.lacks = inspection.process &&
                       (!inspection.process->not_found.empty() || !inspection.process->mismatches.empty() ||
                        !inspection.process->error.empty());
        if (options.json)
            listed.text = report::inspection_json(inspection, names.local());
        else if (listed.lacks || options.verbose || !inspection.error.empty())
            listed.text = inspection_text(inspection, names.local(), around.systems, options.verbose);
        listed.oldest = std::move(inspection.oldest);
        made.local().push_back(std::move(listed));
        if (options.figure.empty()) return;
        std::lock_guard lock(keeping);
        inspections.push_back(std::move(inspection));
    });
    std::vector<const Listed*> all;
    for (const std::vector<Listed>& some : made)
        for (const Listed& one : some) all.push_back(&one);
    std::ranges::sort(all, {}, &Listed::file);
    std::ranges::sort(inspections, {}, &Inspection::file);
    if (auto drawn = draw(inspections, folder, options, around, installation); !drawn) return drawn;
    if (options.json) {
        std::vector<std::string> texts;
        for (const Listed* one : all) texts.push_back(one->text);
        say(stdout, "{}", report::inspections_document(texts));
        return {};
    }
    std::size_t lacking = 0;
    native::OldestSystem sum;
    std::string out;
    for (const Listed* one : all) {
        out += one->text;
        lacking += one->lacks ? 1 : 0;
        // One of many files that brings the C library does not bring it for the others.
        if (!one->oldest.brings_c_library()) sum.add(one->oldest);
    }
    out += fmt::format("{}: {} in which nothing is missing, {} in which something is\n",
                       plural(all.size(), "native file", "native files"), all.size() - lacking, lacking);
    add_oldest_system(out, sum, around.systems);
    say(stdout, "{}", out);
    return {};
}

Result<void> extract(const payload::PayloadContents& contents, const fs::path& folder) {
    std::error_code failed;
    if (is_there(folder) && !fs::is_empty(folder, failed))
        return fail(ErrorKind::bad_input, "the folder is not empty", folder, "nothing is overwritten",
                    "name a new folder with --extract");
    fs::create_directories(folder, failed);
    if (failed) return fail(ErrorKind::unwritable, "can't make the folder", folder, failed.message());
    return contents.extract(folder);
}

/// Unpacks the output, or checks it, as the options want.
Result<void> look_into(const Inspection& inspection, const InspectOptions& options) {
    if (options.extract.empty() && !options.verify) return {};
    if (!inspection.payload)
        return fail(ErrorKind::bad_input, "the file is not an output of Omnistasis", options.file,
                    inspection.error.empty() ? "it has no payload" : inspection.error);
    const payload::PayloadContents& contents = *inspection.payload;
    if (contents.files().empty())
        return fail(ErrorKind::bad_input, "the output has no payload of its own", options.file,
                    "its tree lies beside it, as files");
    if (!options.extract.empty())
        if (auto done = extract(contents, fs::absolute(options.extract)); !done) return done;
    if (!options.verify) return {};
    return contents.each_content([](std::uint32_t, const std::string&) { return Result<void>(); });
}

/// `shown` is what it is called, where that is not where it lies.
Result<void> inspect_one(const fs::path& file, const fs::path& shown, const InspectOptions& options,
                         const Surroundings& around, const build::Installation& installation) {
    native::LoaderModel loader;
    report::HostNames names(around.host);
    std::vector<Inspection> inspections;
    inspections.push_back(report::inspect_file(file.string(), loader));
    inspections.front().file = shown.string();
    // Of another system's libraries this machine's loader knows nothing.
    std::optional<native::HostLibraries> there;
    if (const std::string& target = inspections.front().target; !target.empty() && target != host_target()) {
        auto host = native::HostLibraries::read(installation.data, target);
        if (!host) return pass_on(host);
        report::count_host_libraries(inspections.front(), there.emplace(std::move(*host)));
    }
    const Inspection& inspection = inspections.front();
    if (auto done = look_into(inspection, options); !done) return done;
    if (auto drawn = draw(inspections, file, options, around, installation); !drawn) return drawn;
    if (options.json) {
        say(stdout, "{}", report::inspections_document({report::inspection_json(inspection, names)}));
    } else {
        say(stdout, "{}", inspection_text(inspection, names, around.systems, options.verbose));
        if (there)
            for (const report::Lacking& one : report::lacking_libraries(inspection, *there))
                say(stdout, "  {}  {} asks for it, and neither the output nor the system has it\n",
                    styled(one.name, Style::error, STDOUT_FILENO),
                    one.asked_by.size() == 1
                        ? one.asked_by.front()
                        : fmt::format("{} and {} more", one.asked_by.front(), one.asked_by.size() - 1));
        if (options.verify) say(stdout, "  every hash is right\n");
        if (!options.figure.empty())
            say(stdout, "  drawn in {}\n", shown_path(fs::absolute(options.figure).string()));
        if (!options.extract.empty())
            say(stdout, "  extracted to {}\n", shown_path(fs::absolute(options.extract).string()));
    }
    if (!inspection.error.empty())
        return fail(ErrorKind::bad_input, "the file can't be read", options.file, inspection.error);
    if (inspection.format.empty())
        return fail(ErrorKind::bad_input, "the file can't be inspected", options.file,
                    "it is not an ELF, PE or Mach-O file, nor an output of Omnistasis");
    return {};
}

Result<void> run_inspect(const InspectOptions& options) {
    auto installation = build::Installation::find();
    if (!installation) return pass_on(installation);
    auto host = native::HostLibraries::read(installation->data, host_target());
    if (!host) return pass_on(host);
    auto systems = native::known_systems(installation->data, host_target());
    if (!systems) return pass_on(systems);
    Surroundings around{std::move(*host), std::move(*systems)};
    fs::path path = fs::absolute(options.file).lexically_normal();
    if (!is_there(path))
        return fail(ErrorKind::bad_input, "there is no such file", options.file, "nothing has that name",
                    "name an output, a native file or a folder");
    // A bundle that is packed for handing over.
    std::optional<dress::OpenedBundle> unpacked;
    if (dress::is_packed_bundle(path)) {
        auto opened = dress::OpenedBundle::open(path);
        if (!opened) return pass_on(opened);
        path = opened->folder();
        unpacked.emplace(std::move(*opened));
    }
    // An output of ours: its executable, or in a bundle the file with its payload.
    if (dress::is_bundle(path) || is_folder(path / "tree"))
        if (auto file = PayloadFile::of(path)) path = file->path();
    if (!is_folder(path)) {
        auto told =
            inspect_one(path, unpacked ? fs::absolute(options.file) : path, options, around, *installation);
        if (!told && unpacked) unpacked->name_files_of(told.error());
        return told;
    }
    if (!options.extract.empty() || options.verify)
        return fail(ErrorKind::bad_input, "the file is not an output of Omnistasis", options.file,
                    "it is a folder, and none that `omnistasis build` made");
    return inspect_folder(path, options, around, *installation);
}

} // namespace

void add_inspect_command(CLI::App& program, int& exit_code) {
    auto options = std::make_shared<InspectOptions>();
    CLI::App* command =
        program.add_subcommand("inspect", "tell what an output or a native file needs and holds");
    command->add_option("FILE", options->file, "an output, an ELF, PE or Mach-O file, or a folder with such")
        ->required()
        ->option_text(" ");
    command->add_flag("--verify", options->verify, "check every hash of an output");
    command->add_option("--figure", options->figure, "draw which file needs which, into an .svg or a .png")
        ->option_text("FILE");
    command->add_option("--extract", options->extract, "put the files of an output into a new folder")
        ->option_text("FOLDER");
    command->add_flag("-v,--verbose", options->verbose, "print everything");
    command->add_flag("--json", options->json, "print the result as one JSON object");
    command->footer("Examples:\n"
                    "  omnistasis inspect out/linux-x86_64/tides\n"
                    "      what is in it, and how old a system it runs on\n"
                    "  omnistasis inspect /usr/lib/x86_64-linux-gnu/libz.so.1\n"
                    "      which libraries it needs, and where each is found");
    command->callback([options, &exit_code] { exit_code = finish(run_inspect(*options)); });
}

} // namespace omnistasis::cli
