#include "project/project.h"

#include "project/own_files.h"
#include "project/project_file.h"
#include "support/files.h"
#include "support/near_match.h"
#include "support/toml_text.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis {

namespace {

constexpr const char* project_file_name = "omnistasis.toml";

template <typename T, std::size_t N> using Words = std::array<std::pair<const char*, T>, N>;
constexpr Words<Mode, 2> modes{{{"console", Mode::console}, {"window", Mode::window}}};
constexpr Words<Form, 2> forms{{{"file", Form::file}, {"folder", Form::folder}}};
constexpr Words<Elevation, 3> elevations{{{"caller", Elevation::caller},
                                          {"highest", Elevation::highest},
                                          {"administrator", Elevation::administrator}}};
constexpr Words<WorkingFolder, 2> working_folders{
    {{"caller", WorkingFolder::caller}, {"app", WorkingFolder::app}}};
constexpr Words<Compression, 3> compressions{
    {{"fast", Compression::fast}, {"balanced", Compression::balanced}, {"small", Compression::small}}};

template <typename T, std::size_t N>
Result<T> parse_word(const Words<T, N>& words, const std::string& kind, const std::string& word,
                     const std::string& where) {
    std::vector<std::string> names;
    for (const auto& [name, value] : words) {
        if (word == name) return value;
        names.emplace_back(name);
    }
    // A position in a file is bad input; an option is wrong usage.
    return fail(where.starts_with("--") ? ErrorKind::usage : ErrorKind::bad_input,
                fmt::format("there is no {} `{}`", kind, word), where, "",
                fmt::format("it is one of {}", fmt::join(names, ", ")));
}

template <typename T, std::size_t N> std::string word_of(const Words<T, N>& words, T wanted) {
    for (const auto& [name, value] : words)
        if (value == wanted) return name;
    return {};
}

/// Rules of the trace that can be turned off.
constexpr std::array<std::pair<const char*, bool Project::*>, 3> trace_rules{
    {{"own-files", &Project::own_files},
     {"whole-packages", &Project::whole_packages},
     {"trial-imports", &Project::trial_imports}}};

/// A name that is a file name everywhere.
Result<void> check_name(const std::string& name) {
    bool bad = name.empty() || name == "." || name == ".." || name.size() > 120 ||
               name.find_first_of("/\\:*?\"<>|\n\t") != std::string::npos ||
               std::ranges::any_of(name, [](char c) { return static_cast<unsigned char>(c) < 0x20; });
    if (!bad) return {};
    return fail(ErrorKind::bad_input, fmt::format("`{}` can't be the application's name", name),
                "app.name or --name", "it becomes a file name on every platform",
                "use letters, digits, spaces, `-`, `_` and `.`, at most 120 of them");
}

/// The project file of a source file: in its folder or in one above it.
fs::path project_file_above(const fs::path& source) {
    fs::path folder = source.parent_path();
    for (int up = 0; up < 8 && folder.has_relative_path(); ++up, folder = folder.parent_path())
        if (is_file(folder / project_file_name)) return folder / project_file_name;
    return {};
}

Result<void> find_entry(const ProjectOptions& options, Project& project) {
    fs::path given = options.entry.empty() ? fs::path(".") : fs::path(options.entry);
    std::error_code ignored;
    fs::path path = fs::absolute(given, ignored).lexically_normal();
    if (!path.has_filename()) path = path.parent_path();
    if (is_folder(path)) {
        project.folder = path;
        if (!is_there(path / project_file_name)) return {};
        project.project_file = path / project_file_name;
        return read_project_file(project.project_file, project);
    }
    project.folder = path.parent_path();
    project.entry = path.filename().string();
    fs::path file = project_file_above(path);
    if (file.empty()) return {};
    Project around;
    around.folder = file.parent_path();
    around.project_file = file;
    if (auto read = read_project_file(file, around); !read) return read;
    // A file that names no entry holds for all. For another program of the same project its runtime holds;
    // its name and the rest do not.
    if (around.entry.empty()) around.entry = path.lexically_relative(around.folder).generic_string();
    if ((around.folder / around.entry).lexically_normal() == path)
        project = around;
    else if (around.folder == project.folder)
        project.runtime_home = around.runtime_home;
    return {};
}

Result<void> apply_options(const ProjectOptions& options, Project& project) {
    auto take = [](const std::optional<std::string>& from, std::string& to) {
        if (from) to = *from;
    };
    take(options.name, project.name);
    if (options.mode) {
        auto mode = parse_mode(*options.mode, "--mode");
        if (!mode) return pass_on(mode);
        project.mode = *mode;
    }
    if (options.form) {
        auto form = parse_form(*options.form, "--form");
        if (!form) return pass_on(form);
        project.form = *form;
    }
    if (options.compression) {
        auto compression = parse_compression(*options.compression, "--compress");
        if (!compression) return pass_on(compression);
        project.compression = *compression;
    }
    // Paths on the command line are relative to where the user is; those in the project to its folder.
    std::error_code ignored;
    if (options.icon) project.icon = fs::absolute(*options.icon, ignored).lexically_normal().string();
    if (options.runtime) {
        bool is_path = options.runtime->find('/') != std::string::npos || is_there(*options.runtime);
        project.runtime_home =
            is_path ? fs::absolute(*options.runtime, ignored).lexically_normal().string() : *options.runtime;
    }
    if (options.out) project.out = fs::absolute(*options.out, ignored).lexically_normal();
    for (const std::string& text : options.assets) {
        std::size_t equal = text.find('=');
        project.assets.push_back({text.substr(0, equal),
                                  equal == std::string::npos ? "" : text.substr(equal + 1),
                                  "--asset " + text});
    }
    for (const std::string& path : options.states) project.states.push_back({path, false, "--state " + path});
    if (options.signing_key)
        project.signing_key = fs::absolute(*options.signing_key, ignored).lexically_normal().string();
    project.include.insert(project.include.end(), options.include.begin(), options.include.end());
    project.exclude.insert(project.exclude.end(), options.exclude.begin(), options.exclude.end());
    project.programs.insert(project.programs.end(), options.programs.begin(), options.programs.end());
    for (const std::string& rule : options.without)
        if (auto done = turn_off_rule(project, rule, "--without"); !done) return done;
    if (!options.targets.empty()) project.targets = options.targets;
    return {};
}

/// Brings the state paths into one form. Each is below the project's folder, and none is in another.
Result<void> check_states(Project& project) {
    for (State& state : project.states) {
        auto wrong = [&](const std::string& why) {
            return fail(ErrorKind::bad_input, fmt::format("`{}` can't be state", state.path), state.where,
                        why, "name a file or folder below the project's folder, as path = \"logbook.db\"");
        };
        std::string path = fs::path(state.path).lexically_normal().string();
        state.is_folder = path.ends_with('/') || is_folder(project.folder / path);
        while (path.ends_with('/') && path.size() > 1) path.pop_back();
        if (path.empty() || path == ".") return wrong("it is the whole project");
        if (path.front() == '/' || path == ".." || path.starts_with("../"))
            return wrong("it is outside of the project");
        state.path = path;
    }
    for (const State& outer : project.states)
        for (const State& inner : project.states)
            if (&inner != &outer && (inner.path + "/").starts_with(outer.path + "/"))
                return fail(ErrorKind::bad_input,
                            fmt::format("the state `{}` is in `{}`", inner.path, outer.path), inner.where,
                            "that is state already", "take one of them away");
    return {};
}

Result<void> check(Project& project) {
    if (auto checked = check_name(project.name); !checked) return checked;
    if (project.title.empty()) project.title = project.name;
    if (project.targets.empty()) project.targets = {host_target()};
    for (const std::string& target : project.targets) {
        if (std::ranges::find(known_targets(), target) != known_targets().end()) continue;
        auto near = near_matches(target, known_targets());
        return fail(ErrorKind::bad_input, fmt::format("there is no target `{}`", target),
                    "output.targets or --target", "",
                    near.empty() ? fmt::format("targets are {}", fmt::join(known_targets(), ", "))
                                 : fmt::format("did you mean {}?", fmt::join(near, " or ")));
    }
    if (auto checked = check_states(project); !checked) return checked;
    if (!project.signing_key.empty() && !is_file(project.folder / project.signing_key))
        return fail(ErrorKind::bad_input, "the key for the signature is not there",
                    (project.folder / project.signing_key).string(), "",
                    "make one with: openssl genpkey -algorithm ed25519 -out publisher.key");
    if (!project.icon.empty() && !is_file(project.folder / project.icon))
        return fail(ErrorKind::bad_input, "the icon is not there", (project.folder / project.icon).string(),
                    "", "name a picture file");
    return {};
}

std::string quoted_list(const std::vector<std::string>& texts) {
    std::vector<std::string> parts;
    for (const std::string& text : texts) parts.push_back(toml_quoted(text));
    return fmt::format("[{}]", fmt::join(parts, ", "));
}

} // namespace

Result<void> turn_off_rule(Project& project, const std::string& rule, const std::string& where) {
    auto known = parse_word(trace_rules, "rule", rule, where);
    if (!known) return pass_on(known);
    project.*(*known) = false;
    return {};
}

Result<Mode> parse_mode(const std::string& word, const std::string& where) {
    return parse_word(modes, "mode", word, where);
}
Result<Elevation> parse_elevation(const std::string& word, const std::string& where) {
    return parse_word(elevations, "elevation", word, where);
}
Result<Form> parse_form(const std::string& word, const std::string& where) {
    return parse_word(forms, "form", word, where);
}
Result<WorkingFolder> parse_working_folder(const std::string& word, const std::string& where) {
    return parse_word(working_folders, "working folder", word, where);
}
Result<Compression> parse_compression(const std::string& word, const std::string& where) {
    return parse_word(compressions, "compression", word, where);
}
std::string mode_word(Mode mode) { return word_of(modes, mode); }
std::string form_word(Form form) { return word_of(forms, form); }
std::string compression_word(Compression compression) { return word_of(compressions, compression); }

const std::string& host_target() {
#if defined(__aarch64__)
    static const std::string target = "linux-aarch64";
#else
    static const std::string target = "linux-x86_64";
#endif
    return target;
}

const std::vector<std::string>& known_targets() {
    static const std::vector<std::string> targets{"linux-x86_64", "linux-aarch64", "windows-x86_64",
                                                  "macos-aarch64", "macos-x86_64"};
    return targets;
}

Result<Project> load_project(const ProjectOptions& options, const SettleEntry& settle_entry) {
    Project project;
    if (auto done = find_entry(options, project); !done) return pass_on(done);
    if (auto done = settle_entry(project); !done) return pass_on(done);
    // Named before an option can give the output another name.
    project.rehearsed_file = project.folder / (project.name + ".rehearsed.toml");
    auto rehearsed = read_rehearsed(project.rehearsed_file);
    if (!rehearsed) return pass_on(rehearsed);
    project.rehearsed = std::move(*rehearsed);
    if (auto done = apply_options(options, project); !done) return pass_on(done);
    project.own_folder = !project.project_file.empty() || project.is_installed
                             ? project.folder
                             : own_folder_above(project.folder);
    project.root_folder = project.own_folder;
    if (auto done = check(project); !done) return pass_on(done);
    return project;
}

std::string project_file_text(const Project& project) {
    auto below = [&](const std::string& path) {
        std::string relative =
            fs::path(path).is_absolute() ? fs::path(path).lexically_relative(project.folder).string() : path;
        return relative.empty() || relative.starts_with("..") ? path : relative;
    };
    std::string text = "[app]\n";
    auto line = [&](const char* key, const std::string& value) {
        if (!value.empty()) text += fmt::format("{} = {}\n", key, toml_quoted(value));
    };
    line("name", project.name);
    if (project.title != project.name) line("title", project.title);
    line("version", project.version);
    line("publisher", project.publisher);
    line("summary", project.summary);
    line("entry", project.entry);
    line("mode", mode_word(project.mode));
    if (project.working_folder) line("working_folder", word_of(working_folders, *project.working_folder));
    if (!project.icon.empty()) line("icon", below(project.icon));
    if (!project.language.empty() || !project.runtime_home.empty() || project.sources ||
        project.drop_docstrings) {
        text += "\n[runtime]\n";
        line("language", project.language);
        if (!project.runtime_home.empty()) line("home", below(project.runtime_home));
        if (project.sources) text += "sources = true\n";
        if (project.drop_docstrings) text += "drop_docstrings = true\n";
    }
    std::vector<std::string> without;
    for (const auto& [name, rule] : trace_rules)
        if (!(project.*rule)) without.emplace_back(name);
    if (!project.include.empty() || !project.exclude.empty() || !project.lore.empty() || !without.empty()) {
        text += "\n[trace]\n";
        if (!without.empty()) text += fmt::format("without = {}\n", quoted_list(without));
        if (!project.include.empty()) text += fmt::format("include = {}\n", quoted_list(project.include));
        if (!project.exclude.empty()) text += fmt::format("exclude = {}\n", quoted_list(project.exclude));
        if (!project.lore.empty()) text += fmt::format("lore = {}\n", quoted_list(project.lore));
    }
    if (!project.carried_libraries.empty() || !project.host_libraries.empty() || !project.programs.empty() ||
        project.carry_libc || project.keep_debug_symbols) {
        text += "\n[native]\n";
        if (project.carry_libc) text += "carry_libc = true\n";
        if (project.keep_debug_symbols) text += "keep_debug_symbols = true\n";
        if (!project.carried_libraries.empty())
            text += fmt::format("carry = {}\n", quoted_list(project.carried_libraries));
        if (!project.host_libraries.empty())
            text += fmt::format("host = {}\n", quoted_list(project.host_libraries));
        if (!project.programs.empty()) text += fmt::format("programs = {}\n", quoted_list(project.programs));
    }
    for (const Asset& asset : project.assets) {
        text += "\n[[asset]]\n";
        line("from", asset.from);
        line("to", asset.to);
    }
    for (const State& state : project.states) {
        text += "\n[[state]]\n";
        line("path", state.path + (state.is_folder ? "/" : ""));
    }
    for (const Allowance& one : project.allowances) {
        text += "\n[[allow]]\n";
        line("file", one.file);
        line("kind", one.kind);
        line("reason", one.reason);
    }
    if (!project.refused_licences.empty())
        text += fmt::format("\n[terms]\nrefuse = {}\n", quoted_list(project.refused_licences));
    for (const LicenceDecision& one : project.licence_decisions) {
        text += "\n[[terms.settled]]\n";
        line("package", one.package);
        line("licence", one.licence);
        line("reason", one.reason);
    }
    if (!project.read_me_template.empty()) {
        text += "\n[report]\n";
        line("read_me", below(project.read_me_template));
    }
    const WindowsSettings& windows = project.windows;
    if (windows.elevation != Elevation::caller || !windows.copyright.empty() || !windows.comments.empty() ||
        !windows.languages.empty()) {
        text += "\n[windows]\n";
        if (windows.elevation != Elevation::caller) line("elevation", word_of(elevations, windows.elevation));
        line("copyright", windows.copyright);
        line("comments", windows.comments);
        for (const LanguageTexts& texts : windows.languages) {
            text += "\n[[windows.language]]\n";
            line("code", texts.language);
            line("title", texts.title);
            line("summary", texts.summary);
        }
    }
    if (!project.linux_categories.empty() || !project.window_class.empty()) {
        text += "\n[linux]\n";
        if (!project.linux_categories.empty())
            text += fmt::format("categories = {}\n", quoted_list(project.linux_categories));
        line("window_class", project.window_class);
    }
    if (!project.macos_category.empty()) {
        text += "\n[macos]\n";
        line("category", project.macos_category);
    }
    text += "\n[output]\n";
    if (!project.signing_key.empty()) line("sign", below(project.signing_key));
    line("form", form_word(project.form));
    if (project.compression != Compression::balanced) line("compress", compression_word(project.compression));
    text += fmt::format("targets = {}\n", quoted_list(project.targets));
    return text;
}

} // namespace omnistasis
