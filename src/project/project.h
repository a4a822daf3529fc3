#pragma once

#include "project/rehearsed.h"
#include "support/error.h"
#include "support/target_info.h"

#include <algorithm>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace omnistasis {

enum class Mode { console, window };
enum class Form { file, folder };
/// The working folder that the application starts in: the caller's, or its own.
enum class WorkingFolder { caller, app };
enum class Compression { fast, balanced, small };

/// A file or pattern that the project carries as it is. `from` is relative to the project's folder and may
/// hold
/// `*`, `?` and `**`; `to` is relative to the place of the project in the app tree.
struct Asset {
    std::string from;
    std::string to;
    std::string where; ///< where the project says so, for messages: file:line or the option
};

/// A file or folder that the application writes. It lives in the user's data folder; what the project has
/// there is its initial content.
struct State {
    std::string path; ///< relative to the project's folder
    bool is_folder = false;
    std::string where; ///< where the project says so, for messages
};

/// A finding of the review that is all right.
struct Allowance {
    std::string file; ///< a pattern of files, relative to the project's folder
    std::string kind; ///< empty: any
    std::string reason;
    std::string where; ///< where the project says so, for messages
};

/// The licence of a package, where its own metadata does not say it.
struct LicenceDecision {
    std::string package; ///< a pattern of names
    std::string licence; ///< an SPDX expression
    std::string reason;
    std::string where; ///< where the project says so, for messages
};

/// Who a program for Windows runs as.
enum class Elevation { caller, highest, administrator };
/// What the system is told of the running program; `runtime`: what the runtime's own program says.
enum class CodePage { runtime, utf8 };
enum class Scaling { runtime, none, system, monitor };

/// Texts of the application in another language.
struct LanguageTexts {
    std::string language; ///< as "de-DE"
    std::string title;
    std::string summary;
    std::string where; ///< where the project says so, for messages
};

/// What only Windows asks for.
struct WindowsSettings {
    Elevation elevation = Elevation::caller;
    CodePage code_page = CodePage::runtime;
    Scaling scaling = Scaling::runtime;
    std::string copyright;
    std::string comments;
    std::vector<LanguageTexts> languages;
};

/// What there is to build: the project file, the command line and the defaults, put together.
struct Project {
    std::filesystem::path folder;       ///< absolute; what the entry, assets and icon are relative to
    std::filesystem::path project_file; ///< empty where there is none
    /// The folder that the application's own files lie in: `folder`, or one above it (see own_files.h).
    std::filesystem::path own_folder;
    /// What places of own files are relative to: that, or a folder above it that their sources reach by
    /// paths.
    std::filesystem::path root_folder;
    bool is_installed =
        false;        ///< the entry is a command of something installed; the folder around it is nobody's
    std::string name; ///< the output's file name
    std::string title;
    std::string version;
    std::string publisher;
    std::string summary;
    std::string description; ///< a paragraph
    std::string identifier;  ///< as "harbour.example.tideboard"; empty: from the name
    std::string homepage;
    std::string licence;  ///< an SPDX expression
    std::string released; ///< the version's day, as "2026-11-23"
    WindowsSettings windows;
    std::vector<std::string> linux_categories; ///< of the desktop menu
    std::string window_class;                  ///< as the window system knows the windows; empty: the name
    std::string macos_category;                ///< as "public.app-category.utilities"
    std::string entry; ///< a file relative to the folder, or a name that the language knows
    Mode mode = Mode::console;
    std::optional<WorkingFolder> working_folder; ///< as the mode has it where nothing is said
    std::string icon;                            ///< relative to the folder; empty where there is none
    std::string language;                        ///< empty: from the entry
    std::string runtime_home;                    ///< an interpreter or the folder of one; empty: looked for
    bool sources = false;                        ///< the source goes along, for code that shows it
    bool drop_docstrings = false;  ///< assertions and docstrings are left out of the compiled code
    std::vector<std::string> lore; ///< files with the project's own package lore, relative to the folder
    std::vector<std::string> include;
    std::vector<std::string> exclude;
    /// Rules of the trace that bring in what nothing names; see `trace_rules`.
    bool own_files = true;      ///< all files of the application's own go along
    bool whole_packages = true; ///< small packages go along whole
    bool trial_imports = true;  ///< packages are imported once, to see what they load
    std::vector<std::string>
        carried_libraries;                   ///< shipped, whatever the target's list of host libraries says
    bool carry_libc = false;                 ///< ship the C library too
    bool keep_debug_symbols = false;         ///< of native files
    std::vector<std::string> host_libraries; ///< not shipped: the users' systems have them
    std::vector<std::string> programs;       ///< shipped native programs: names on PATH, or files
    std::vector<Asset> assets;
    std::vector<State> states;
    std::vector<Allowance> allowances;
    std::vector<std::string>
        refused_licences; ///< patterns of SPDX names; "unknown" for those that nothing says
    std::vector<LicenceDecision> licence_decisions;
    std::string read_me_template;         ///< a file relative to the folder; empty: our own
    std::string signing_key;              ///< a file relative to the folder; empty: the output is not signed
    std::filesystem::path rehearsed_file; ///< where what rehearsals saw is kept
    Rehearsed rehearsed;
    Form form = Form::file;
    Compression compression = Compression::balanced;
    std::vector<std::string> targets;
    std::filesystem::path out; ///< absolute; empty: out/<target> in the folder

    /// A program with a window is started by a click, from anywhere.
    bool starts_in_own_folder() const {
        return working_folder ? *working_folder == WorkingFolder::app : mode == Mode::window;
    }

    /// Whether a path, relative to the folder, is state or in a folder that is; or has a name that begins
    /// with that of a state file, as what is about to replace it.
    bool is_state(const std::string& path) const {
        return std::ranges::any_of(states, [&](const State& state) {
            return path == state.path || path.starts_with(state.path + (state.is_folder ? "/" : ""));
        });
    }

    /// Where the outputs for a target go.
    std::filesystem::path output_folder(const std::string& target) const {
        std::error_code ignored;
        std::filesystem::path base = is_installed ? std::filesystem::current_path(ignored) : folder;
        return out.empty() ? base / "out" / target : out;
    }
};

/// What the command line says; each value set there wins over the project file.
struct ProjectOptions {
    std::string entry; ///< a source file, a project folder, or empty for the present folder
    std::optional<std::string> name, mode, form, icon, runtime, out, compression, signing_key;
    std::vector<std::string> assets; ///< FROM[=TO]
    std::vector<std::string> states;
    std::vector<std::string> include, exclude, targets, programs;
    std::vector<std::string> without; ///< names of `trace_rules` that are turned off
};

/// Fills in what only the project's language knows of its entry point: which file it is, and from there the
/// name and the folder. Fails where no language would start it.
using SettleEntry = std::function<Result<void>(Project&)>;

/// Reads the project file that belongs to `options.entry`, if there is one, applies the options and fills in
/// the defaults. Checks that what is named exists.
Result<Project> load_project(const ProjectOptions& options, const SettleEntry& settle_entry);

/// The words of an option or field and their values.
Result<Mode> parse_mode(const std::string& word, const std::string& where);
Result<Form> parse_form(const std::string& word, const std::string& where);
Result<Compression> parse_compression(const std::string& word, const std::string& where);
std::string mode_word(Mode mode);
std::string form_word(Form form);
std::string compression_word(Compression compression);

/// Turns a rule of the trace off: `own-files`, `whole-packages` or `trial-imports`.
Result<void> turn_off_rule(Project& project, const std::string& rule, const std::string& where);

} // namespace omnistasis
