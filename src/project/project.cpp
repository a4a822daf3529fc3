#include "project/project.h"

#include "project/assets.h"
#include "project/own_files.h"
#include "project/project_file.h"
#include "project/project_file_place.h"
#include "project/project_words.h"
#include "support/files.h"
#include "support/near_match.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis {

namespace {

/// A name that is a file name everywhere.
Result<void> check_name(const std::string& name) {
    bool bad = name.empty() || name == "." || name == ".." || name.size() > 120 ||
               name.find_first_of("/\\:*?\"<>|\n\t") != std::string::npos ||
               std::ranges::any_of(name, [](char c) { return static_cast<unsigned char>(c) < 0x20; });
    if (!bad && name.ends_with(".json"))
        return fail(ErrorKind::bad_input, fmt::format("`{}` can't be the application's name", name),
                    "app.name or --name", "files of such names are written beside the output",
                    "take another name");
    if (!bad) return {};
    return fail(ErrorKind::bad_input, fmt::format("`{}` can't be the application's name", name),
                "app.name or --name", "it becomes a file name on every platform",
                "use letters, digits, spaces, `-`, `_` and `.`, at most 120 of them");
}

Result<void> find_entry(const ProjectOptions& options, Project& project) {
    fs::path given = options.entry.empty() ? fs::path(".") : fs::path(options.entry);
    std::error_code ignored;
    fs::path path = fs::absolute(given, ignored).lexically_normal();
    if (!path.has_filename()) path = path.parent_path();
    if (is_folder(path)) {
        project.folder = path;
        auto file = find_project_file(path, false);
        if (!file) return pass_on(file);
        if (file->empty()) return {};
        project.project_file = *file;
        return read_project_file(project.project_file, project);
    }
    project.folder = path.parent_path();
    project.entry = path.filename().string();
    auto file = find_project_file(project.folder, true);
    if (!file) return pass_on(file);
    if (file->empty()) return {};
    Project around;
    around.folder = file->parent_path();
    around.project_file = *file;
    if (auto read = read_project_file(*file, around); !read) return read;
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

/// What is moved out of the way in the data folder gets an ending.
constexpr std::size_t longest_state_name = 200; // bytes
constexpr std::size_t longest_shown = 200;      // of a path in a message

/// Brings the state paths into one form. Each is below the project's folder, and none is in another.
Result<void> check_states(Project& project) {
    for (State& state : project.states) {
        auto wrong = [&](const std::string& why) {
            return fail(ErrorKind::bad_input,
                        fmt::format("`{}` can't be state", state.path.substr(0, longest_shown)), state.where,
                        why, "name a file or folder below the project's folder, as path = \"logbook.db\"");
        };
        std::string path = fs::path(state.path).lexically_normal().string();
        state.is_folder = path.ends_with('/') || is_folder(project.folder / path);
        while (path.ends_with('/') && path.size() > 1) path.pop_back();
        if (path.empty() || path == ".") return wrong("it is the whole project");
        if (std::string why = why_no_place(path); !why.empty()) return wrong(why);
        if (fs::path(path).filename().string().size() > longest_state_name)
            return wrong(fmt::format("its name is longer than {} bytes", longest_state_name));
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

/// Texts that become lines of files which others read: desktop entries, manifests, scripts, resources.
Result<void> check_texts(const Project& project) {
    constexpr std::size_t longest = 1000, longest_version = 100; // bytes
    struct Text {
        const char* key;
        const std::string& value;
        std::size_t most = longest;
    };
    std::vector<Text> texts{{"app.title", project.title},
                            {"app.version", project.version, longest_version},
                            {"app.publisher", project.publisher},
                            {"app.summary", project.summary},
                            {"app.identifier", project.identifier},
                            {"app.homepage", project.homepage},
                            {"app.licence", project.licence},
                            {"app.released", project.released},
                            {"windows.copyright", project.windows.copyright},
                            {"linux.window_class", project.window_class},
                            {"macos.category", project.macos_category}};
    for (const std::string& category : project.linux_categories)
        texts.push_back({"linux.categories", category});
    for (const LanguageTexts& language : project.windows.languages) {
        texts.push_back({"windows.language.title", language.title});
        texts.push_back({"windows.language.summary", language.summary});
    }
    for (const Text& text : texts) {
        bool is_line =
            std::ranges::none_of(text.value, [](unsigned char c) { return c < 0x20 || c == 0x7F; });
        if (is_line && text.value.size() <= text.most) continue;
        return fail(
            ErrorKind::bad_input,
            is_line ? fmt::format("the text of {} is too long", text.key)
                    : fmt::format("the text of {} has a line break or another control character", text.key),
            project.project_file.string(), "it becomes a line in files that other programs read",
            is_line ? fmt::format("write at most {} bytes", text.most) : "write it on one line");
    }
    auto has_only = [](const std::string& text, std::string_view signs) {
        return std::ranges::all_of(text, [&](unsigned char c) {
            return std::isalnum(c) != 0 || signs.find(static_cast<char>(c)) != std::string_view::npos;
        });
    };
    const std::string& identifier = project.identifier;
    if (!has_only(identifier, ".-_") || identifier.starts_with('.') ||
        identifier.find("..") != std::string::npos)
        return fail(ErrorKind::bad_input, fmt::format("`{}` can't be an identifier", identifier),
                    "app.identifier", "it becomes a file name and stands in scripts",
                    "use letters, digits, `-`, `_` and `.`, as in \"harbour.example.tideboard\"");
    for (const std::string& category : project.linux_categories)
        if (!has_only(category, "-"))
            return fail(ErrorKind::bad_input,
                        fmt::format("`{}` is not a category of a desktop menu", category), "linux.categories",
                        "names of categories have letters, digits and `-` only",
                        "take one of the Desktop Menu Specification, as Science or X-Harbour");
    return {};
}

Result<void> check(Project& project) {
    if (auto checked = check_name(project.name); !checked) return checked;
    if (auto checked = check_texts(project); !checked) return checked;
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

} // namespace

Result<void> turn_off_rule(Project& project, const std::string& rule, const std::string& where) {
    auto known = parse_word(trace_rules, "rule", rule, where);
    if (!known) return pass_on(known);
    project.*(*known) = false;
    return {};
}

Result<Mode> parse_mode(const std::string& word, const std::string& where) {
    return parse_word(mode_words, "mode", word, where);
}
Result<Form> parse_form(const std::string& word, const std::string& where) {
    return parse_word(form_words, "form", word, where);
}
Result<Compression> parse_compression(const std::string& word, const std::string& where) {
    return parse_word(compression_words, "compression", word, where);
}
std::string mode_word(Mode mode) { return word_of(mode_words, mode); }
std::string form_word(Form form) { return word_of(form_words, form); }
std::string compression_word(Compression compression) { return word_of(compression_words, compression); }

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

} // namespace omnistasis
