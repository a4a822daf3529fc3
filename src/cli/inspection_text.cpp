#include "cli/inspection_text.h"

#include "cli/terminal.h"
#include "support/hash.h"
#include "support/target_info.h"
#include "support/user_folder_words.h"

#include <algorithm>
#include <cstdlib>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

namespace omnistasis::cli {

using report::Inspection;

namespace {

std::string bold(const std::string& text) { return styled(text, Style::bold, STDOUT_FILENO); }

template <class... Values>
void add(std::string& out, fmt::format_string<Values...> format, Values&&... values) {
    fmt::format_to(std::back_inserter(out), format, std::forward<Values>(values)...);
}

} // namespace

void add_oldest_system(std::string& out, const native::OldestSystem& oldest,
                       const std::vector<native::KnownSystem>& systems) {
    const std::vector<native::CLibraryNeed> needs = oldest.needs();
    std::string kernel = oldest.kernel().version.empty()
                             ? ""
                             : fmt::format("Linux {}", native::version_text(oldest.kernel().version));
    if (const native::SystemNeed& system = oldest.system(); !system.version.empty())
        add(out, "  runs on {} or newer{}\n", system.name(),
            system.file.empty() ? "" : fmt::format(", as {}", system.cause()));
    if (oldest.brings_c_library() && !kernel.empty())
        add(out, "  runs on {} or newer with any C library or none: it brings its own\n", kernel);
    if (needs.empty()) return;
    const native::CLibraryNeed& highest = needs.front();
    std::vector<std::string_view> names;
    for (const native::KnownSystem& system : systems)
        if (system.version >= highest.version) names.push_back(system.name);
    add(out, "  runs on glibc {} or newer{}{}\n", native::version_text(highest.version),
        kernel.empty() ? "" : " and " + kernel + " or newer",
        names.empty() ? "" : fmt::format(": {}", fmt::join(names, ", ")));
    bool one_file = needs.size() == 1;
    add(out, "    {}{}{}\n", one_file ? "" : highest.file,
        one_file || highest.symbol.empty() ? "" : " takes ",
        highest.symbol.empty() ? ""
        : one_file             ? "for " + highest.symbol
                               : highest.symbol);
    auto lower = std::ranges::find_if(
        needs, [&](const native::CLibraryNeed& need) { return need.version != highest.version; });
    if (lower == needs.end()) return;
    auto count = lower - needs.begin();
    add(out, "    without {} it would be {} ({})\n",
        count == 1 ? "that file"
                   : plural(static_cast<std::size_t>(count), "file", "files") + " that want this",
        native::version_text(lower->version), lower->file);
}

namespace {

/// The files that one asks for, each with what it asks for itself the first time.
void add_needs(std::string& out, const Inspection& inspection, report::HostNames& host) {
    const native::LoadedProcess& process = *inspection.process;
    std::vector<bool> shown(process.objects.size(), false);
    auto print = [&](auto& self, std::size_t object, std::size_t depth) -> void {
        if (shown[object]) return;
        shown[object] = true;
        const std::vector<std::string>& needed = process.objects[object].elf->needed;
        for (std::size_t i = 0; i < needed.size(); ++i) {
            std::uint32_t found = process.found[process.objects[object].first_need + i];
            if (found == process.nowhere) {
                add(out, "{:{}}{}  {}\n", "", 2 + 2 * depth, needed[i],
                    styled("not found", Style::error, STDOUT_FILENO));
                continue;
            }
            if (depth > 0 && shown[found]) continue;
            const native::LoadedObject& one = process.objects[found];
            bool on_host = host.contains(needed[i]);
            // What every system has is of interest where the file itself asks for it.
            if (depth > 0 && on_host) continue;
            add(out, "{:{}}{}  {} ({}){}\n", "", 2 + 2 * depth, needed[i], shown_path(std::string(one.path)),
                native::word_of(one.found_by), on_host ? ", every system has it" : "");
            if (!on_host) self(self, found, depth + 1);
        }
    };
    print(print, 0, 0);
    for (const native::VersionMismatch& one : process.mismatches)
        add(out, "  {}  {} has no version {}, which {} wants\n",
            styled("mismatch", Style::error, STDOUT_FILENO), one.library, one.version,
            process.objects[one.asked_by].path);
    if (!process.error.empty())
        add(out, "  {}  {}\n", styled("the loader gives up", Style::error, STDOUT_FILENO), process.error);
}

/// The folder for the user's data, as a launcher that is started here takes it.
std::string data_base() {
    const char* base = std::getenv("XDG_DATA_HOME");
    if (base != nullptr && *base == '/') return base;
    const char* home = std::getenv("HOME");
    return std::string(home == nullptr ? "~" : home) + "/.local/share";
}

void add_output(std::string& out, const Inspection& inspection,
                const std::vector<native::KnownSystem>& systems, bool verbose) {
    const payload::PayloadContents& contents = *inspection.payload;
    const payload::Description& description = contents.description();
    bool single = description.tree_folder.empty();
    add(out, "  {}{}, {} mode, {}\n", description.name,
        description.version.empty() ? "" : " " + description.version,
        description.window ? "window" : "console",
        single ? "one file" : "a folder: the tree is " + description.tree_folder);
    add(out, "  launcher {}", size_text(contents.launcher_size()));
    if (single) add(out, ", payload {}", size_text(contents.payload_size()));
    add(out, "; {} in {}{}\n", size_text(contents.raw_size()),
        plural(contents.files().size(), "file", "files"), single ? " before compression" : "");
    std::string start = description.start;
    std::ranges::replace(start, '\0', ' ');
    add(out, "  starts {}\n", start);
    if (!contents.public_key().empty())
        add(out, "  signed by the publisher with the public key {}\n", hex(as_bytes(contents.public_key())));
    // Of another user on another system only the words are known.
    System system = system_of(inspection.target);
    for (const payload::StatePath& state : description.state) {
        std::string path = description.name + "/" + state.path;
        add(out, "  writes {}, which is {}\n", state.place,
            system == System::linux ? data_base() + "/" + path : shown_in_data(system, path));
    }
    add_oldest_system(out, inspection.oldest, systems);
    std::string tree = fmt::format("omnistasis/{}-{}", description.name, contents.tree_id().substr(0, 32));
    bool has_files =
        std::ranges::any_of(description.state, [](const payload::StatePath& one) { return !one.is_folder; });
    if (system == System::macos && !description.state.empty())
        add(out, "  copies its sealed tree to {}\n",
            (has_files ? shown_in_data : shown_in_caches)(system, tree));
    else if (single && system == System::windows)
        add(out, "  unpacks to {}\n", shown_in_data(system, tree));
    else if (single)
        add(out, "  unpacks to the user's {}, as {}\n", has_files ? "data folder" : "cache", tree);
    std::vector<payload::StoredFile> files = contents.files();
    std::ranges::stable_sort(files, std::greater<>(), &payload::StoredFile::size);
    std::size_t most = verbose ? files.size() : 10;
    for (std::size_t i = 0; i < std::min(most, files.size()); ++i)
        add(out, "    {:>8}  {}  {}\n", size_text(files[i].size), files[i].hash.substr(0, verbose ? 64 : 12),
            files[i].place);
    if (files.size() > most) add(out, "    and {} more, with -v or --json\n", files.size() - most);
}

void add_pe(std::string& out, const native::PeFile& pe, bool verbose) {
    add(out, "  {}, {} mode{}{}\n", pe.is_library ? "library" : "program",
        pe.subsystem == 2   ? "window"
        : pe.subsystem == 3 ? "console"
                            : "other",
        pe.is_signed ? ", signed" : ", not signed",
        pe.manifest.empty() ? ", no manifest" : ", with a manifest");
    if (!pe.icons.empty()) {
        std::vector<std::string> sizes;
        for (const native::PeIcon& icon : pe.icons)
            sizes.push_back(fmt::format("{}x{}", icon.width, icon.height));
        add(out, "  icon: {}\n", fmt::join(sizes, ", "));
    }
    for (const auto& [name, value] : pe.version)
        add(out, "  {}: {}\n", name == "(file)" ? "version by number" : name, value);
    for (const native::PeImport& import : pe.imports) {
        add(out, "  {}  {}{}\n", import.library, plural(import.functions.size(), "function", "functions"),
            import.delayed ? ", when first called" : "");
        if (!verbose) continue;
        std::vector<std::string> names;
        for (const native::PeFunction& function : import.functions) names.push_back(function.text());
        add(out, "    {}\n", fmt::join(names, " "));
    }
    if (!pe.exports.empty()) add(out, "  exports {}\n", plural(pe.exports.size(), "name", "names"));
    if (verbose && !pe.manifest.empty()) add(out, "{}\n", pe.manifest);
}

void add_mach_o(std::string& out, const native::MachFile& file) {
    for (const native::MachImage& image : file.images) {
        add(out, "  {}{}{}, {}\n", report::kind_of(image),
            image.platform.empty() ? ""
                                   : fmt::format(" for {} {} or newer", image.platform, image.oldest_system),
            image.install_name.empty() ? "" : ", " + image.install_name,
            image.is_signed ? "signed" : "not signed");
        for (const native::MachLibrary& library : image.libraries)
            add(out, "  {}  {}{}\n", library.name, library.current_version,
                library.weak ? ", may be missing" : "");
        for (const std::string& path : image.search_paths) add(out, "  looks in {}\n", path);
    }
}

} // namespace

std::string inspection_text(const Inspection& inspection, report::HostNames& host,
                            const std::vector<native::KnownSystem>& systems, bool verbose) {
    std::string out;
    std::string what = inspection.format.empty() ? "no native file" : inspection.format;
    std::string architecture = report::architecture_of(inspection);
    add(out, "{}  {}{}, {}\n", bold(shown_path(inspection.file)), what,
        architecture.empty() ? "" : ", " + architecture, size_text(inspection.size));
    if (!inspection.error.empty())
        add(out, "  {}  {}\n", styled("unreadable", Style::error, STDOUT_FILENO), inspection.error);
    if (inspection.payload) {
        add_output(out, inspection, systems, verbose);
        return out;
    }
    if (inspection.elf) {
        const native::ElfFile& elf = *inspection.elf;
        if (!elf.interpreter.empty()) add(out, "  started by {}\n", elf.interpreter);
        if (!elf.soname.empty()) add(out, "  calls itself {}\n", elf.soname);
        if (elf.rpath) add(out, "  looks first in {} (DT_RPATH)\n", *elf.rpath);
        if (elf.runpath) add(out, "  looks in {} (DT_RUNPATH)\n", *elf.runpath);
        add_oldest_system(out, inspection.oldest, systems);
        if (inspection.process) add_needs(out, inspection, host);
        if (elf.dynamic.empty()) add(out, "  needs no library: it is linked statically\n");
    }
    if (inspection.pe) add_pe(out, *inspection.pe, verbose);
    if (inspection.mach_o) add_mach_o(out, *inspection.mach_o);
    return out;
}

} // namespace omnistasis::cli
