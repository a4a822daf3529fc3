#include "cli/job.h"
#include "payload/delta.h"
#include "report/inspection.h"
#include "report/library_figure.h"
#include "support/files.h"
#include "support/hash.h"

#include <algorithm>
#include <cstdlib>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <memory>
#include <oneapi/tbb/parallel_for.h>
#include <set>
#include <unistd.h>

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

/// What "runs on" needs to be told.
struct Surroundings {
    native::HostLibraries host;
    std::vector<native::KnownSystem> systems;
};

std::string bold(const std::string& text) { return styled(text, Style::bold, STDOUT_FILENO); }

void print_oldest_system(const native::OldestSystem& oldest, const Surroundings& around) {
    const std::vector<native::CLibraryNeed> needs = oldest.needs();
    std::string kernel = oldest.kernel().version.empty()
                             ? ""
                             : fmt::format("Linux {}", native::version_text(oldest.kernel().version));
    if (oldest.brings_c_library() && !kernel.empty())
        fmt::print("  runs on {} or newer with any C library or none: it brings its own\n", kernel);
    if (needs.empty()) return;
    const native::CLibraryNeed& highest = needs.front();
    std::vector<std::string> names;
    for (const native::KnownSystem& system : around.systems)
        if (system.version >= highest.version) names.push_back(system.name);
    fmt::print("  runs on glibc {} or newer{}{}\n", native::version_text(highest.version),
               kernel.empty() ? "" : " and " + kernel + " or newer",
               names.empty() ? "" : fmt::format(": {}", fmt::join(names, ", ")));
    bool one_file = needs.size() == 1;
    fmt::print("    {}{}{}\n", one_file ? "" : highest.file,
               one_file || highest.symbol.empty() ? "" : " takes ",
               highest.symbol.empty() ? ""
               : one_file             ? "for " + highest.symbol
                                      : highest.symbol);
    auto lower = std::ranges::find_if(
        needs, [&](const native::CLibraryNeed& need) { return need.version != highest.version; });
    if (lower == needs.end()) return;
    auto count = lower - needs.begin();
    fmt::print("    without {} it would be {} ({})\n",
               count == 1 ? "that file"
                          : plural(static_cast<std::size_t>(count), "file", "files") + " that want this",
               native::version_text(lower->version), lower->file);
}

/// The files that one asks for, each with what it asks for itself the first time.
void print_needs(const Inspection& inspection, const Surroundings& around) {
    const native::LoadedProcess& process = *inspection.process;
    std::set<std::size_t> shown;
    auto print = [&](auto& self, std::size_t object, std::size_t depth) -> void {
        if (!shown.insert(object).second) return;
        for (const std::string& name : process.objects[object].elf->needed) {
            auto found = std::ranges::find_if(process.objects, [&](const native::LoadedObject& one) {
                return one.name == name || (&one != &process.objects.front() && one.elf->soname == name);
            });
            std::string indent(2 + 2 * depth, ' ');
            if (found == process.objects.end()) {
                fmt::print("{}{}  {}\n", indent, name, styled("not found", Style::error, STDOUT_FILENO));
                continue;
            }
            auto index = static_cast<std::size_t>(found - process.objects.begin());
            const auto* host = around.host.find(name);
            bool seen = shown.contains(index);
            // What every system has is of interest where the file itself asks for it.
            if (depth > 0 && (seen || host != nullptr)) continue;
            fmt::print("{}{}  {} ({}){}\n", indent, name, shown_path(found->path),
                       native::word_of(found->found_by), host != nullptr ? ", every system has it" : "");
            if (host == nullptr) self(self, index, depth + 1);
        }
    };
    print(print, 0, 0);
    for (const native::VersionMismatch& one : process.mismatches)
        fmt::print("  {}  {} has no version {}, which {} wants\n",
                   styled("mismatch", Style::error, STDOUT_FILENO), one.library, one.version,
                   process.objects[one.asked_by].path);
    if (!process.error.empty())
        fmt::print("  {}  {}\n", styled("the loader gives up", Style::error, STDOUT_FILENO), process.error);
}

/// The folder for the user's data, as a launcher that is started here takes it.
std::string data_base() {
    const char* base = std::getenv("XDG_DATA_HOME");
    if (base != nullptr && *base == '/') return base;
    const char* home = std::getenv("HOME");
    return std::string(home == nullptr ? "~" : home) + "/.local/share";
}

void print_output(const Inspection& inspection, const Surroundings& around, bool verbose) {
    const payload::PayloadContents& contents = *inspection.payload;
    const payload::Description& description = contents.description();
    bool single = description.tree_folder.empty();
    fmt::print("  {}{}, {} mode, {}\n", description.name,
               description.version.empty() ? "" : " " + description.version,
               description.window ? "window" : "console",
               single ? "one file" : "a folder: the tree is " + description.tree_folder);
    fmt::print("  launcher {}", size_text(contents.launcher_size()));
    if (single) fmt::print(", payload {}", size_text(contents.payload_size()));
    fmt::print("; {} in {}{}\n", size_text(contents.raw_size()),
               plural(contents.files().size(), "file", "files"), single ? " before compression" : "");
    std::string start = description.start;
    std::ranges::replace(start, '\0', ' ');
    fmt::print("  starts {}\n", start);
    if (!contents.public_key().empty())
        fmt::print("  signed by the publisher with the public key {}\n",
                   hex(as_bytes(contents.public_key())));
    for (const payload::StatePath& state : description.state)
        fmt::print("  writes {}, which is {}/{}/{}\n", state.place, data_base(), description.name,
                   state.path);
    print_oldest_system(inspection.oldest, around);
    if (single)
        fmt::print("  unpacks to the user's {}, as omnistasis/{}-{}\n",
                   std::ranges::any_of(description.state,
                                       [](const payload::StatePath& state) { return !state.is_folder; })
                       ? "data folder"
                       : "cache",
                   description.name, contents.tree_id().substr(0, 32));
    std::vector<payload::StoredFile> files = contents.files();
    std::ranges::stable_sort(files, std::greater<>(), &payload::StoredFile::size);
    std::size_t most = verbose ? files.size() : 10;
    for (std::size_t i = 0; i < std::min(most, files.size()); ++i)
        fmt::print("    {:>8}  {}  {}\n", size_text(files[i].size),
                   files[i].hash.substr(0, verbose ? 64 : 12), files[i].place);
    if (files.size() > most) fmt::print("    and {} more, with -v or --json\n", files.size() - most);
}

void print_pe(const native::PeFile& pe, bool verbose) {
    fmt::print("  {}, {} mode{}{}\n", pe.is_library ? "library" : "program",
               pe.subsystem == 2   ? "window"
               : pe.subsystem == 3 ? "console"
                                   : "other",
               pe.is_signed ? ", signed" : ", not signed",
               pe.manifest.empty() ? ", no manifest" : ", with a manifest");
    if (!pe.icons.empty()) {
        std::vector<std::string> sizes;
        for (const native::PeIcon& icon : pe.icons)
            sizes.push_back(fmt::format("{}x{}", icon.width, icon.height));
        fmt::print("  icon: {}\n", fmt::join(sizes, ", "));
    }
    for (const auto& [name, value] : pe.version)
        fmt::print("  {}: {}\n", name == "(file)" ? "version by number" : name, value);
    for (const native::PeImport& import : pe.imports) {
        fmt::print("  {}  {}{}\n", import.library, plural(import.names.size(), "function", "functions"),
                   import.delayed ? ", when first called" : "");
        if (verbose) fmt::print("    {}\n", fmt::join(import.names, " "));
    }
    if (!pe.exports.empty()) fmt::print("  exports {}\n", plural(pe.exports.size(), "name", "names"));
    if (verbose && !pe.manifest.empty()) fmt::print("{}\n", pe.manifest);
}

void print_mach_o(const native::MachFile& file) {
    for (const native::MachImage& image : file.images) {
        fmt::print("  {}{}{}, {}\n",
                   image.kind == 2   ? "program"
                   : image.kind == 6 ? "library"
                                     : "bundle",
                   image.platform.empty()
                       ? ""
                       : fmt::format(" for {} {} or newer", image.platform, image.oldest_system),
                   image.install_name.empty() ? "" : ", " + image.install_name,
                   image.is_signed ? "signed" : "not signed");
        for (const native::MachLibrary& library : image.libraries)
            fmt::print("  {}  {}{}\n", library.name, library.current_version,
                       library.weak ? ", may be missing" : "");
        for (const std::string& path : image.search_paths) fmt::print("  looks in {}\n", path);
    }
}

void print_inspection(const Inspection& inspection, const Surroundings& around, bool verbose) {
    std::string what = inspection.format.empty() ? "no native file" : inspection.format;
    std::string architecture = report::architecture_of(inspection);
    fmt::print("{}  {}{}, {}\n", bold(shown_path(inspection.file)), what,
               architecture.empty() ? "" : ", " + architecture, size_text(inspection.size));
    if (!inspection.error.empty())
        fmt::print("  {}  {}\n", styled("unreadable", Style::error, STDOUT_FILENO), inspection.error);
    if (inspection.payload) return print_output(inspection, around, verbose);
    if (inspection.elf) {
        const native::ElfFile& elf = *inspection.elf;
        if (!elf.interpreter.empty()) fmt::print("  started by {}\n", elf.interpreter);
        if (!elf.soname.empty()) fmt::print("  calls itself {}\n", elf.soname);
        if (elf.rpath) fmt::print("  looks first in {} (DT_RPATH)\n", *elf.rpath);
        if (elf.runpath) fmt::print("  looks in {} (DT_RUNPATH)\n", *elf.runpath);
        print_oldest_system(inspection.oldest, around);
        if (inspection.process) print_needs(inspection, around);
        if (elf.dynamic.empty()) fmt::print("  needs no library: it is linked statically\n");
    }
    if (inspection.pe) print_pe(*inspection.pe, verbose);
    if (inspection.mach_o) print_mach_o(*inspection.mach_o);
}

/// The native files below a folder; links are not followed.
std::vector<std::string> native_files(const fs::path& folder) {
    std::vector<std::string> files;
    each_entry_below(folder, [&](const fs::directory_entry& entry) {
        std::error_code failed;
        if (!entry.is_symlink(failed) && entry.is_regular_file(failed))
            files.push_back(entry.path().string());
    });
    std::ranges::sort(files);
    return files;
}

void print_folder(const std::vector<Inspection>& inspections, const Surroundings& around, bool verbose) {
    std::size_t whole = 0, missing = 0;
    native::OldestSystem sum;
    for (const Inspection& inspection : inspections) {
        bool lacks = inspection.process &&
                     (!inspection.process->not_found.empty() || !inspection.process->mismatches.empty() ||
                      !inspection.process->error.empty());
        if (lacks || verbose || !inspection.error.empty()) print_inspection(inspection, around, verbose);
        (lacks ? missing : whole) += 1;
        // One of many files that brings the C library does not bring it for the others.
        if (!inspection.oldest.brings_c_library()) sum.add(inspection.oldest);
    }
    fmt::print("{}: {} in which nothing is missing, {} in which something is\n",
               plural(inspections.size(), "native file", "native files"), whole, missing);
    print_oldest_system(sum, around);
}

Result<void> extract(const payload::PayloadContents& contents, const fs::path& folder) {
    std::error_code failed;
    if (is_there(folder) && !fs::is_empty(folder, failed))
        return fail(ErrorKind::bad_input, "the folder is not empty", folder, "nothing is overwritten",
                    "name a new folder with --extract");
    fs::create_directories(folder, failed);
    if (failed) return fail(ErrorKind::missing, "can't make the folder", folder, failed.message());
    return contents.each_content([&](std::uint32_t number, const std::string& bytes) -> Result<void> {
        for (const payload::StoredFile& file : contents.files()) {
            if (file.content != number) continue;
            fs::path to = (folder / file.place).lexically_normal();
            if (relative_to(to.string(), folder.lexically_normal().string()).empty())
                return fail(ErrorKind::bad_input, "a file of the payload leads out of the folder",
                            file.place);
            std::error_code ignored;
            fs::create_directories(to.parent_path(), ignored);
            if (auto done = write_new(to, as_bytes(bytes), file.mode); !done) return done;
        }
        return {};
    });
}

Result<void> run_inspect(const InspectOptions& options) {
    auto installation = build::Installation::find();
    if (!installation) return tl::make_unexpected(installation.error());
    auto host = native::HostLibraries::read(installation->data / "notes", "linux-x86_64");
    if (!host) return tl::make_unexpected(host.error());
    auto systems = native::known_systems(installation->data / "notes", "linux-x86_64");
    if (!systems) return tl::make_unexpected(systems.error());
    Surroundings around{std::move(*host), std::move(*systems)};
    fs::path path = fs::absolute(options.file).lexically_normal();
    if (!is_there(path))
        return fail(ErrorKind::bad_input, "there is no such file", options.file, "nothing has that name",
                    "name an output, a native file or a folder");
    // What a large folder takes is left to the system when the program ends.
    static native::LoaderModel loader;
    static std::vector<Inspection> inspections;
    bool folder = is_folder(path);
    // An output of ours: its executable, or in a bundle the file with its payload.
    if (folder && (is_folder(path / "tree") || is_folder(path / "Contents/Resources/tree"))) {
        auto executable =
            payload::executable_of(is_folder(path / "tree") ? path : path / "Contents/Resources");
        if (executable) {
            path = *executable;
            folder = false;
        }
    }
    if (folder) {
        std::vector<std::string> files = native_files(path);
        std::vector<Inspection> all(files.size());
        oneapi::tbb::parallel_for(std::size_t(0), files.size(), [&](std::size_t i) {
            all[i] = report::inspect_file(files[i], loader, true);
        });
        for (Inspection& one : all)
            if (!one.format.empty()) inspections.push_back(std::move(one));
    } else {
        inspections.push_back(report::inspect_file(path.string(), loader));
    }
    if (!options.extract.empty() || options.verify) {
        if (folder || !inspections[0].payload)
            return fail(ErrorKind::bad_input, "the file is no output of Omnistasis", options.file,
                        inspections.empty() || inspections[0].error.empty() ? "it has no payload"
                                                                            : inspections[0].error);
        const payload::PayloadContents& contents = *inspections[0].payload;
        if (contents.files().empty())
            return fail(ErrorKind::bad_input, "the output has no payload of its own", options.file,
                        "its tree lies beside it, as files");
        if (!options.extract.empty())
            if (auto done = extract(contents, fs::absolute(options.extract)); !done) return done;
        if (options.verify)
            if (auto done =
                    contents.each_content([](std::uint32_t, const std::string&) { return Result<void>(); });
                !done)
                return done;
    }
    if (!options.figure.empty()) {
        auto drawing = Drawing::open(installation->launchers);
        if (!drawing) return tl::make_unexpected(drawing.error());
        auto graph = report::library_graph(inspections, around.host);
        auto figure = report::library_figure(graph, "Native files of " + path.filename().string(), *drawing);
        if (!figure) return tl::make_unexpected(figure.error());
        if (auto written = drawing->write(*figure, fs::absolute(options.figure)); !written) return written;
    }
    if (options.json) {
        fmt::print("{}", report::inspection_json(inspections, around.host));
    } else if (folder) {
        print_folder(inspections, around, options.verbose);
    } else {
        print_inspection(inspections[0], around, options.verbose);
        if (options.verify) fmt::print("  every hash is right\n");
        if (!options.figure.empty())
            fmt::print("  drawn in {}\n", shown_path(fs::absolute(options.figure).string()));
        if (!options.extract.empty())
            fmt::print("  extracted to {}\n", shown_path(fs::absolute(options.extract).string()));
    }
    if (!folder && !inspections[0].error.empty())
        return fail(ErrorKind::bad_input, "the file can't be read", options.file, inspections[0].error);
    if (!folder && inspections[0].format.empty())
        return fail(ErrorKind::bad_input, "the file is nothing that can be inspected", options.file,
                    "it is no ELF, PE or Mach-O file and no output of Omnistasis");
    return {};
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
