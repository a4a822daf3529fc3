#include "runtimes/python/entry.h"

#include "runtimes/python/distributions.h"
#include "runtimes/python/python_language.h"
#include "support/files.h"
#include "support/toml.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <map>
#include <ranges>

namespace omnistasis::python {

namespace {

constexpr const char* main_file = "__main__.py";

bool is_package(const fs::path& folder) { return is_there(folder / "__init__.py"); }

bool is_dotted(std::string_view text) {
    bool expects_part = true;
    for (char c : text) {
        auto byte = static_cast<unsigned char>(c);
        bool letter = std::isalpha(byte) != 0 || c == '_' || byte >= 0x80;
        if (letter || (!expects_part && std::isdigit(byte) != 0))
            expects_part = false;
        else if (c == '.' && !expects_part)
            expects_part = true;
        else
            return false;
    }
    return !expects_part;
}

/// "a.b" or "a.b:c.d", split; an empty module where it is neither.
std::pair<std::string, std::string> split_name(const std::string& entry) {
    std::size_t colon = entry.find(':');
    std::string module = entry.substr(0, colon);
    std::string function = colon == std::string::npos ? "" : entry.substr(colon + 1);
    bool right = is_dotted(module) && (colon == std::string::npos || is_dotted(function));
    return right ? std::pair(module, function) : std::pair<std::string, std::string>();
}

/// The file of a module below a folder; for a package, its __main__.py where `runs`, else its __init__.py.
std::string file_of(const fs::path& base, std::string module, bool runs) {
    std::ranges::replace(module, '.', '/');
    fs::path inner = base / module;
    if (is_file(inner / "__init__.py") || (runs && is_file(inner / main_file))) {
        fs::path file = inner / (runs ? main_file : "__init__.py");
        return is_file(file) ? file.string() : std::string();
    }
    return is_file(inner.string() + ".py") ? inner.string() + ".py" : std::string();
}

/// The outermost package's own folder is in this one.
fs::path folder_above_packages(fs::path folder) {
    while (is_package(folder) && folder.has_relative_path()) folder = folder.parent_path();
    return folder;
}

/// "src" of the folder where there is one, and the folder itself.
std::vector<fs::path> bases_of(const fs::path& folder) { return {folder, folder / "src"}; }

/// What a pyproject.toml says of the application (PyPA, "Declaring project metadata").
Result<void> read_pyproject(Project& project) {
    fs::path file = project.folder / "pyproject.toml";
    auto text = read_text(file);
    if (!text) return {};
    toml::parse_result parsed = toml::parse(*text, file.string());
    if (!parsed)
        return fail(ErrorKind::bad_input, "the pyproject.toml is not valid TOML",
                    fmt::format("{}:{}", file.string(), parsed.error().source().begin.line),
                    std::string(parsed.error().description()));
    const toml::table* about = parsed.table()["project"].as_table();
    if (about == nullptr) return {};
    auto take = [&](const char* key, std::string& into) {
        if (into.empty()) into = (*about)[key].value_or(std::string());
    };
    std::string name = (*about)["name"].value_or(std::string());
    take("version", project.version);
    take("description", project.summary);
    if (!project.entry.empty()) return {};

    std::map<std::string, std::pair<std::string, Mode>> scripts;
    for (auto [key, mode] : {std::pair("scripts", Mode::console), {"gui-scripts", Mode::window}})
        if (const toml::table* table = (*about)[key].as_table())
            for (const auto& [script, value] : *table)
                if (value.is_string()) scripts[std::string(script.str())] = {value.as_string()->get(), mode};
    auto chosen = scripts.size() == 1 ? scripts.begin() : scripts.find(name);
    if (chosen != scripts.end()) {
        project.entry = chosen->second.first.substr(0, chosen->second.first.find_first_of(" ["));
        project.mode = chosen->second.second;
        if (project.name.empty()) project.name = chosen->first;
        return {};
    }
    if (!scripts.empty()) {
        std::vector<std::string> names, values;
        for (const auto& [script, value] : scripts) {
            names.push_back(script);
            values.push_back(value.first);
        }
        return fail(ErrorKind::bad_input, "the project has several programs", file.string(),
                    fmt::format("its scripts are {}", fmt::join(names, ", ")),
                    fmt::format("name one: {}", fmt::join(values, ", ")));
    }
    std::string package = normalized_distribution_name(name);
    std::ranges::replace(package, '-', '_');
    for (const fs::path& base : bases_of(project.folder))
        if (!package.empty() && is_file(base / package / main_file)) project.entry = package;
    return {};
}

} // namespace

namespace {

/// A folder that commands are installed into: one of the system's or a user's, or of a virtual environment.
bool is_command_folder(const fs::path& folder) {
    std::string path = folder.string();
    static constexpr std::array<std::string_view, 8> of_system{
        "/bin",       "/sbin",          "/usr/bin",        "/usr/sbin",
        "/usr/games", "/usr/local/bin", "/usr/local/sbin", "/usr/local/games"};
    if (std::ranges::find(of_system, path) != of_system.end()) return true;
    return folder.filename() == "bin" &&
           (is_there(folder.parent_path() / "pyvenv.cfg") || folder.parent_path().filename() == ".local");
}

} // namespace

std::vector<std::string> declared_requirements(const fs::path& folder) {
    std::vector<std::string> declared;
    fs::path file = folder / "pyproject.toml";
    auto text = is_file(file) ? read_text(file) : Result<std::string>(std::string());
    toml::parse_result parsed = toml::parse(text ? *text : std::string(), file.string());
    if (!parsed) return declared;
    if (const toml::array* list = parsed.table()["project"]["dependencies"].as_array())
        for (const toml::node& one : *list)
            if (one.is_string()) declared.push_back(one.as_string()->get());
    return declared;
}

Result<bool> settle_entry(Project& project) {
    if (project.entry.empty() || !is_file(project.folder / project.entry)) {
        // Of a folder that a package is in, the package is what runs.
        fs::path folder = project.folder / project.entry;
        if (is_file(folder / main_file)) {
            project.entry = (fs::path(project.entry) / main_file).lexically_normal().string();
        } else if (auto read = read_pyproject(project); !read) {
            return pass_on(read);
        }
    }
    if (project.entry.empty()) return false;
    fs::path file = project.folder / project.entry;
    if (is_file(file)) {
        std::error_code failed;
        if (project.name.empty() && fs::is_symlink(file, failed)) project.name = file.filename().string();
        // A link stands for a program elsewhere: the interpreter looks for modules beside the real file.
        fs::path real = fs::canonical(file, failed);
        if (!is_python_source(failed ? file : real)) return false;
        if (!failed && project.project_file.empty() && fs::is_symlink(file)) {
            project.folder = real.parent_path();
            project.entry = real.filename().string();
            file = real;
        }
        project.is_installed = project.project_file.empty() &&
                               (is_command_folder(file.parent_path()) || file.string().starts_with("/usr/"));
        // A package's __main__.py belongs to the folder that the package is in.
        if (file.filename() == main_file && project.project_file.empty()) {
            project.folder = folder_above_packages(file.parent_path());
            project.entry = file.lexically_relative(project.folder).string();
        }
        if (project.name.empty()) {
            bool is_main = file.filename() == main_file;
            bool has_ending = file.extension() == ".py" || file.extension() == ".pyw";
            project.name = (is_main      ? file.parent_path().filename()
                            : has_ending ? file.stem()
                                         : file.filename())
                               .string();
        }
        return true;
    }
    auto [module, function] = split_name(project.entry);
    if (module.empty() || module.ends_with(".py")) return false;
    // Commands are files, and whoever names one means none of the modules beside it.
    if (project.project_file.empty() && is_command_folder(project.folder)) return false;
    if (project.name.empty()) {
        std::string last = module;
        if (last.ends_with(".__main__")) last.resize(last.size() - std::string_view(".__main__").size());
        project.name = function.empty() ? last.substr(last.rfind('.') + 1) : last.substr(0, last.find('.'));
    }
    return true;
}

Entry read_entry(const Project& project) {
    Entry entry;
    fs::path file = project.folder / project.entry;
    if (is_file(file)) {
        fs::path folder = file.parent_path();
        entry.file = file.string();
        entry.folder = folder.string();
        entry.among_commands = project.project_file.empty() && is_command_folder(folder);
        if (file.filename() != main_file || !is_package(folder)) return entry;
        // A package's __main__.py runs as the package does: python -m package.
        entry.kind = Entry::Kind::module;
        entry.folder = folder_above_packages(folder).string();
        entry.module = file.lexically_relative(entry.folder).replace_extension().string();
        std::ranges::replace(entry.module, '/', '.');
        return entry;
    }
    std::tie(entry.module, entry.function) = split_name(project.entry);
    entry.kind = entry.function.empty() ? Entry::Kind::module : Entry::Kind::function;
    entry.folder = project.folder.string();
    bool runs = entry.kind == Entry::Kind::module;
    for (const fs::path& base : bases_of(project.folder)) {
        entry.file = file_of(base, entry.module, runs);
        if (entry.file.empty()) continue;
        entry.folder = base.string();
        if (runs && entry.file.ends_with(std::string("/") + main_file) && !entry.module.ends_with("__main__"))
            entry.module += ".__main__";
        break;
    }
    return entry;
}

} // namespace omnistasis::python
