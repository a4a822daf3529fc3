#include "runtimes/python/foreign_runtime.h"

#include "native/loaded_image.h"
#include "native/mach_o_loader.h"
#include "native/native_kind.h"
#include "native/pe_reader.h"
#include "runtimes/python/stocked_library.h"
#include "support/files.h"
#include "support/letter_case.h"
#include "support/target_info.h"

#include <algorithm>
#include <cstdio>
#include <fmt/format.h>
#include <optional>
#include <sstream>

namespace omnistasis::python {

namespace {

/// Where one keeps its parts; paths in the folder that it was found in.
struct Layout {
    std::string problem{}, advice{}; ///< why nothing can be built with it, and what to do; empty: it can
    std::string packed{};            ///< a zip with its library
    std::string root{};
    std::string program{};
    std::string minor{};      ///< "3.11", where files are named by it
    std::string image{};      ///< the program, or the library, that has the interpreter in it
    std::string library{};    ///< folder; empty where it is not there
    std::string extensions{}; ///< folder
};

/// "311" of python311.dll, "3.11" of python3.11; empty for other names.
std::string digits_of(std::string_view name, std::string_view start, std::string_view end) {
    if (!name.starts_with(start) || !name.ends_with(end) || name.size() < start.size() + end.size())
        return {};
    std::string inner(name.substr(start.size(), name.size() - start.size() - end.size()));
    bool fits = inner.size() >= 2 && inner.front() == '3' &&
                inner.find_first_not_of("0123456789.") == std::string::npos && inner.back() != '.';
    return fits ? inner : std::string();
}

std::string folder_with(const fs::path& base, const std::vector<std::string>& folders,
                        const std::vector<std::string>& files) {
    for (const std::string& folder : folders)
        for (const std::string& file : files)
            if (is_file(base / folder / file)) return folder;
    return {};
}

std::string joined(const std::string& folder, const std::string& name) {
    return folder.empty() ? name : folder + "/" + name;
}

/// A virtual environment of Windows: its programs start those of an installation elsewhere.
std::optional<Layout> windows_environment(const fs::path& base, const std::string& folder) {
    std::string root = fs::path(folder).parent_path().string();
    auto said = read_text(base / root / "pyvenv.cfg");
    if (!said || lower_case(fs::path(folder).filename().string()) != "scripts") return std::nullopt;
    std::string home;
    std::istringstream lines(*said);
    for (std::string line; std::getline(lines, line);)
        if (std::size_t equal = line.find('='); line.starts_with("home") && equal != std::string::npos)
            home = line.substr(line.find_first_not_of(" \t=", equal));
    while (!home.empty() && (home.back() == '\r' || home.back() == ' ')) home.pop_back();
    Layout layout{
        .root = root, .program = joined(folder, "python.exe"), .image = joined(folder, "python.exe")};
    layout.problem = fmt::format("it is a virtual environment of the installation {}",
                                 home.empty() ? "that its pyvenv.cfg names" : home);
    layout.advice = "copy that folder here and add it; packages come with `omnistasis packages fetch`";
    return layout;
}

std::optional<Layout> windows_layout(const fs::path& base, const std::string& root) {
    Layout layout{.root = root, .program = joined(root, "python.exe")};
    for (const FolderEntry& entry : list_folder(base / root))
        if (!digits_of(lower_case(entry.name), "python", ".dll").empty())
            layout.image = joined(root, entry.name);
    if (layout.image.empty()) return windows_environment(base, root);
    layout.library = folder_with(base, {joined(root, "Lib"), joined(root, "lib")}, {"os.py", "os.pyc"});
    layout.extensions = folder_with(
        base, {joined(root, "DLLs"), root.empty() ? "." : root, joined(root, "Lib"), joined(root, "lib")},
        {"_socket.pyd", "_ctypes.pyd"});
    std::string packed = fs::path(layout.image).stem().string() + ".zip";
    if (layout.library.empty() && is_file(base / joined(root, packed))) layout.packed = joined(root, packed);
    return layout;
}

/// Of Linux and macOS.
std::optional<Layout> unix_layout(const fs::path& base, const std::string& program) {
    std::string folder = fs::path(program).parent_path().string();
    if (fs::path(folder).filename() != "bin") return std::nullopt;
    std::string root = fs::path(folder).parent_path().string();
    std::string name = fs::path(program).filename().string();
    Layout layout{.root = root, .program = program, .minor = name.substr(6), .image = program};
    layout.library =
        folder_with(base, {joined(root, "lib/" + name), joined(root, "lib64/" + name)}, {"os.py"});
    layout.extensions = layout.library.empty() ? "" : layout.library + "/lib-dynload";
    for (const std::string& shared :
         {joined(root, "lib/lib" + name + ".so.1.0"), joined(root, "lib" + name + ".so.1.0"),
          joined(root, "lib/lib" + name + ".dylib"), joined(root, "lib" + name + ".dylib")})
        if (is_file(base / shared)) layout.image = shared;
    // Of a framework the library has its name, and the program in bin starts the one that can have windows.
    std::string framework = joined(root, "Python");
    std::string application = joined(root, "Resources/Python.app/Contents/MacOS/Python");
    if (is_file(base / framework)) layout.image = framework;
    if (is_file(base / framework) && is_file(base / application)) layout.program = application;
    return layout;
}

std::string version_of(const fs::path& base, const Layout& layout) {
    auto content = MappedFile::open(base / layout.image);
    if (!content) return {};
    if (native::looks_like_pe(content->bytes())) {
        auto pe = native::read_pe(content->bytes(), layout.image);
        if (!pe) return {};
        for (const char* field : {"ProductVersion", "FileVersion"})
            if (auto found = pe->version.find(field); found != pe->version.end()) return found->second;
        return {};
    }
    // "3.11.2" stands in it as a text of its own.
    std::string start = layout.minor + ".";
    std::string_view text = content->text();
    for (std::size_t at = text.find(start); at != std::string_view::npos; at = text.find(start, at + 1)) {
        std::size_t end = at + start.size();
        while (end < text.size() && text[end] >= '0' && text[end] <= '9') ++end;
        bool is_whole = at > 0 && text[at - 1] == '\0' && end < text.size() && text[end] == '\0';
        if (is_whole && end > at + start.size()) return std::string(text.substr(at, end - at));
    }
    return {};
}

/// Of a system's own folder /usr, the system: some of its libraries lie beside.
std::string whole_of(const std::string& root) {
    return fs::path(root).filename() == "usr" ? parent_folder_of(root) : root;
}

std::vector<Layout> layouts_in(const fs::path& base) {
    std::vector<Layout> found;
    std::vector<std::string> programs;
    each_entry_below(base, [&](const fs::directory_entry& entry) {
        std::string name = entry.path().filename().string();
        std::error_code ignored;
        bool may_be = lower_case(name) == "python.exe" || !digits_of(name, "python", "").empty();
        if (may_be && !entry.is_symlink(ignored) && entry.is_regular_file(ignored))
            programs.push_back(entry.path().lexically_relative(base).string());
    });
    std::ranges::sort(programs);
    for (const std::string& program : programs) {
        bool is_windows = program.ends_with(".exe");
        auto layout = is_windows ? windows_layout(base, fs::path(program).parent_path().string())
                                 : unix_layout(base, program);
        if (layout && native::kind_of((base / program).string())) found.push_back(std::move(*layout));
    }
    return found;
}

/// The names of the modules that are compiled into an interpreter: `PyImport_Inittab`, pairs of a name and a
/// function, ended by two zeros.
std::unordered_set<std::string> built_in_modules(ByteSpan bytes) {
    constexpr std::size_t most = 1000;
    std::unordered_set<std::string> names;
    auto image = native::LoadedImage::of(bytes);
    auto table = image ? image->symbol("PyImport_Inittab") : std::nullopt;
    if (!table) return names;
    std::uint64_t at = image->pointer_at(*table);
    for (std::size_t i = 0; i < most; ++i, at += 16) {
        std::string name(image->text_at(image->pointer_at(at)));
        if (name.empty()) break;
        names.insert(std::move(name));
    }
    return names;
}

/// The compiled modules of a macOS tree that need libraries of the machine that built them.
std::map<std::string, std::string> unloadable_modules(const Facts& facts, std::uint32_t processor) {
    std::map<std::string, std::string> unloadable;
    std::string program_folder = parent_folder_of(facts.program);
    for (const FolderEntry& entry : list_folder(facts.extensions)) {
        std::string file = facts.extensions + "/" + entry.name;
        auto content =
            entry.is_folder ? Result<MappedFile>(fail(ErrorKind::bad_input, "")) : MappedFile::open(file);
        auto part = content ? native::image_for(content->bytes(), processor) : std::nullopt;
        if (!part || !native::looks_like_mach_o(*part)) continue;
        auto mach = native::read_mach_o(*part, file);
        if (!mach) continue;
        for (const native::MachImage& image : mach->images)
            for (const native::MachLibrary& library : image.libraries) {
                bool of_system =
                    library.name.starts_with("/usr/lib/") || library.name.starts_with("/System/");
                auto paths = native::loaded_paths(library.name, image, facts.extensions, program_folder);
                bool is_here = !native::moved_library(library.name, facts.base_prefix).empty();
                if (of_system || library.weak || is_here || library.name == image.install_name ||
                    std::ranges::any_of(paths, [&](const auto& path) {
                        return is_file(path) && !relative_to(path, facts.base_prefix).empty();
                    }))
                    continue;
                unloadable.emplace(entry.name.substr(0, entry.name.find('.')), library.name);
            }
    }
    return unloadable;
}

} // namespace

std::string minor_version(const std::string& version) {
    std::size_t first = version.find('.');
    return version.substr(0, first == std::string::npos ? first : version.find('.', first + 1));
}

std::vector<Recognised> recognise_runtimes(const std::filesystem::path& folder) {
    std::vector<Recognised> found;
    for (const Layout& layout : layouts_in(folder)) {
        native::NativeKind kind = native::kind_of((folder / layout.program).string());
        Recognised one{layout.program, version_of(folder, layout),
                       kind.targets.empty() ? std::string() : kind.targets.front()};
        one.folder = whole_of(layout.root);
        if (kind.targets.size() > 1) one.other_targets.assign(kind.targets.begin() + 1, kind.targets.end());
        one.problem = layout.problem;
        one.advice = layout.advice;
        if (!layout.packed.empty()) {
            one.packed = layout.packed;
            one.unpacked = joined(layout.root, "Lib");
        } else if (one.problem.empty() && layout.library.empty())
            one.problem = "its standard library is not there: no os.py in Lib or lib/python3.X";
        else if (one.problem.empty() && layout.extensions.empty())
            one.problem = "the compiled modules of its library are not there: no _socket.pyd in DLLs";
        bool is_windows = layout.program.ends_with(".exe");
        if (is_file(folder / layout.library / "os.pyc"))
            one.remarks.push_back("its library is bytecode alone: builds need a Python of the same minor "
                                  "version on this machine, which reads it");
        bool has_tk = is_file(folder / layout.extensions / "_tkinter.pyd");
        if (!has_tk && is_windows && one.problem.empty()) one.remarks.push_back("it has no tkinter");
        if (has_tk && !is_folder(folder / layout.root / "tcl"))
            one.remarks.push_back("it has no scripts of Tcl: windows of tkinter can't be opened with it");
        if (kind.targets.empty() && one.problem.empty())
            one.problem = "its program is for a processor that is no target: 64 bits are needed";
        if (is_windows && one.problem.empty() && !is_file(folder / layout.root / "python3.dll"))
            one.remarks.push_back(
                "it has no python3.dll: packages that are compiled for several versions (abi3) can't "
                "be loaded with it");
        found.push_back(std::move(one));
    }
    return found;
}

Result<Facts> facts_of_files(const StockedRuntime& runtime, const Facts& here) {
    const fs::path& folder = runtime.folder;
    std::vector<Layout> layouts = layouts_in(folder);
    if (layouts.empty())
        return fail(ErrorKind::missing, "the runtime is damaged", folder.string(), "",
                    fmt::format("omnistasis runtimes remove {}, and add it again", runtime.id));
    const Layout* layout = &layouts.front();
    auto image = MappedFile::open(folder / layout->image);
    if (!image) return pass_on(image);
    Facts facts;
    facts.target = runtime.target;
    std::sscanf(runtime.version.c_str(), "%d.%d.%d", &facts.major, &facts.minor, &facts.micro);
    facts.magic = here.magic;
    facts.codecs = here.codecs;
    facts.executable = here.executable;
    facts.program = (folder / layout->program).string();
    facts.base_prefix = (folder / layout->root).lexically_normal().string();
    while (facts.base_prefix.ends_with('/')) facts.base_prefix.pop_back();
    facts.prefix = facts.base_prefix;
    facts.standard_library = facts.platform_library = (folder / layout->library).lexically_normal().string();
    facts.extensions = (folder / layout->extensions).lexically_normal().string();
    if (fs::path folder = bytecode_folder_of(runtime); is_folder(folder)) facts.bytecode = folder.string();
    facts.platlibdir = "lib";
    const TargetInfo* target = find_target(facts.target);
    bool is_windows = target->system == System::windows, is_macos = target->system == System::macos;
    facts.platform = is_windows ? "win32" : is_macos ? "darwin" : "linux";
    std::string digits = fmt::format("{}{}", facts.major, facts.minor);
    if (is_windows)
        facts.extension_suffixes = {fmt::format(".cp{}-win_{}.pyd", digits, target->manifest_word), ".pyd"};
    else
        facts.extension_suffixes = {
            fmt::format(".cpython-{}-{}.so", digits, is_macos ? "darwin" : target->library_folder),
            ".abi3.so", ".so"};
    facts.search_path = {facts.standard_library, facts.extensions};
    if (is_macos) facts.unloadable = unloadable_modules(facts, target->machine);
    settle_places(facts);
    // Debian's way.
    if (std::string shared = (folder / layout->root / "lib/python3/dist-packages").string();
        is_folder(shared))
        facts.search_path.push_back(shared);
    facts.built_in =
        built_in_modules(native::image_for(image->bytes(), target->machine).value_or(image->bytes()));
    if (facts.built_in.empty())
        return fail(ErrorKind::bad_input, "the interpreter does not name its built-in modules",
                    (folder / layout->image).string(), "there is no table PyImport_Inittab in it",
                    "add another build of it");
    facts.built_in.insert({"_frozen_importlib", "_frozen_importlib_external"});
    if (!is_windows)
        for (const FolderEntry& entry : list_folder(facts.standard_library))
            // Debian has a second one beside it, for what is built on it.
            if (facts.build_data.empty() && entry.name.starts_with("_sysconfigdata_") &&
                entry.name.ends_with(".py"))
                facts.build_data = entry.name.substr(0, entry.name.size() - 3);
    return facts;
}

} // namespace omnistasis::python
