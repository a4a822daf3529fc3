#include "watch/proof.h"

#include "native/loader_cache.h"
#include "support/files.h"
#include "support/letter_case.h"
#include "support/pattern.h"
#include "support/target_info.h"
#include "support/text.h"
#include "trace/capabilities.h"
#include "watch/call_log.h"
#include "watch/display.h"
#include "watch/emulation.h"
#include "watch/first_difference.h"
#include "watch/isolation.h"
#include "watch/run_places.h"
#include "watch/run_settings.h"
#include "watch/source_comparison.h"
#include "watch/source_lines.h"

#include <algorithm>
#include <array>
#include <chrono>
#include <cstdlib>
#include <fmt/format.h>
#include <optional>
#include <set>

namespace omnistasis::watch {

namespace {

/// Folders of a root that belong to no application.
constexpr std::array<std::string_view, 5> of_the_kernel{"/proc/", "/sys/", "/dev/", "/run/", "/var/run/"};

bool starts_with_any(const std::string& path, auto&& starts) {
    return std::ranges::any_of(starts, [&](std::string_view start) { return path.starts_with(start); });
}

class Prover {
  public:
    Prover(const ProofSubject& subject, const ProofRun& run) : subject_(subject), run_(run) {
        proof_.name = run.name;
        proof_.arguments = run.arguments;
    }

    Result<Proof> prove() {
        if (auto possible = check_isolation(); !possible) return pass_on(possible);
        bool is_foreign = subject_.target != host_target();
        if (is_compared() && trace::as<trace::RunsFromSource>(subject_.runtime) == nullptr)
            return fail(
                ErrorKind::bad_input, "there is no source to compare with", subject_.output,
                "its project is not at hand: no record of its trace beside it, or what that names is gone",
                "build it again, or leave out --against-source");
        auto scratch = StagingFolder::make(fs::temp_directory_path(), "omnistasis-proof");
        if (!scratch) return pass_on(scratch);
        auto places = RunPlaces::make(scratch->path() / "isolated");
        if (!places) return pass_on(places);
        places_ = *places;
        if (is_foreign) {
            auto emulation =
                emulation_for(subject_.target, {subject_.output, subject_.program, subject_.host,
                                                trace::as<trace::BringsLibraries>(subject_.runtime),
                                                scratch->path(), subject_.data});
            if (!emulation) return pass_on(emulation);
            emulation_ = std::move(*emulation);
            proof_.by = emulation_->name();
            proof_.limits = emulation_->limits();
        }
        if (auto done = run_isolated_and_watched(scratch->path()); !done) return pass_on(done);
        find_tree();
        look_at_calls();
        look_at_end();
        if (is_compared()) {
            auto differences = compare_with_source(
                {subject_, run_, proof_, places_, tree_, tree_here_, folders_, timed_out_, emulation_.get()},
                scratch->path() / "source");
            if (!differences) return pass_on(differences);
            for (ProofFinding& one : *differences) add(std::move(one));
            proof_.compared = true;
        }
        need_what_was_left_out();
        for (ProofFinding& finding : proof_.findings)
            finding.fails &= std::ranges::none_of(run_.allowed, [&](const std::string& pattern) {
                return fits_pattern(finding.what, pattern);
            });
        std::ranges::stable_sort(proof_.findings, {}, [](const ProofFinding& one) {
            return std::tuple(!one.fails, one.kind, one.what);
        });
        return std::move(proof_);
    }

  private:
    /// A run with a window is ended once that has settled: what it did until then depends on the moment.
    bool is_compared() const { return run_.against_source && !run_.display; }

    // --- the run ------------------------------------------------------------------------------------------

    Result<void> run_isolated_and_watched(const fs::path& scratch) {
        auto made = isolation_of(run_, places_);
        if (!made) return pass_on(made);
        IsolationOptions& options = *made;
        std::optional<VirtualDisplay> display;
        if (run_.display) {
            auto started = VirtualDisplay::start(scratch);
            if (!started) return pass_on(started);
            display.emplace(std::move(*started));
            options.variables["DISPLAY"] = display->name();
            options.shown.emplace_back(display->socket(), display->socket().string());
            // What every desktop has besides its libraries.
            for (const char* folder :
                 {"/usr/share/fonts", "/etc/fonts", "/usr/share/X11/xkb", "/usr/share/fontconfig"})
                if (is_there(folder)) options.shown.emplace_back(folder, folder);
            options.limits.enough = [&] { return display->has_settled(); };
        }
        std::vector<std::string> command;
        fs::path log = scratch / "calls";
        proof_.blind = why_blind();
        if (proof_.blind.empty()) {
            command = call_log_options(true);
            command.insert(command.end(), {log.string(), "--"});
        }
        std::vector<std::string> isolated;
        if (emulation_ != nullptr) {
            auto emulated = emulation_->command(run_.arguments, options);
            if (!emulated) return pass_on(emulated);
            isolated = std::move(*emulated);
        } else {
            isolated =
                isolated_command(subject_.output, subject_.program, run_.arguments, *subject_.host, options);
        }
        command.insert(command.end(), isolated.begin(), isolated.end());
        auto start = std::chrono::steady_clock::now();
        auto result = run_program(command, options.input, options.limits);
        if (!result) return pass_on(result);
        proof_.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        proof_.exit_code = result->exit_code;
        proof_.out = std::move(result->out);
        proof_.err = std::move(result->err);
        timed_out_ = result->timed_out;
        if (display) {
            auto picture = display->take_picture(run_.picture);
            if (!picture) return pass_on(picture);
            proof_.window = !picture->has_window ? "none"
                            : picture->blank     ? "blank"
                                                 : fmt::format("{}x{}", picture->width, picture->height);
        }
        if (auto text = MappedFile::open(log)) {
            calls_ =
                read_call_log(text->text(), emulation_ != nullptr ? emulation_->first_program() : "/opt/");
            if (emulation_ != nullptr) calls_ = emulation_->translated(std::move(calls_));
        }
        if (emulation_ != nullptr) {
            tree_ = emulation_->tree(options);
            lacking_ = emulation_->lacking(proof_.err);
        }
        return {};
    }

    // --- the tree -----------------------------------------------------------------------------------------

    /// Where the app tree was in the root, and where it is here.
    void find_tree() {
        if (!tree_.empty()) {
            std::string below_home = relative_to(tree_, isolated_home);
            tree_here_ =
                below_home.empty()
                    ? subject_.output / relative_to(tree_, "/opt/" + subject_.output.filename().string())
                    : places_.home / below_home;
        }
        std::string cache = std::string(isolated_home) + "/.cache/";
        std::string data = std::string(isolated_home) + "/.local/share/omnistasis/";
        for (const std::string& program : calls_.programs) {
            std::size_t bin = program.rfind("/bin/");
            if (bin == std::string::npos) continue;
            if (program.starts_with(cache) || program.starts_with(data)) {
                tree_ = program.substr(0, bin);
                tree_here_ = places_.home / tree_.substr(std::string(isolated_home).size() + 1);
            } else if (program.starts_with("/opt/") && is_folder(subject_.output)) {
                tree_ = program.substr(0, bin);
                tree_here_ = subject_.output / fs::path(tree_).lexically_relative(
                                                   "/opt/" + subject_.output.filename().string());
            }
        }
        if (subject_.graph == nullptr) return;
        for (const trace::Unit& unit : subject_.graph->units) {
            if (unit.own && trace::is_source(unit.kind)) own_sources_.push_back(unit.file);
            if (unit.file.empty() || unit.place.empty() || base_name(unit.file) != base_name(unit.place))
                continue;
            fs::path place = fs::path(unit.place).parent_path(), folder = fs::path(unit.file).parent_path();
            folders_.try_emplace(place.string(), folder.string());
            if (trace::is_source(unit.kind)) code_folders_.insert(place.string());
        }
        if (subject_.runtime != nullptr)
            folders_[subject_.runtime->application_place()] = subject_.project->folder.string();
    }

    /// The file of this machine that a place in the tree stands for.
    std::string here(const std::string& place) const {
        for (fs::path above = fs::path(place).parent_path();; above = above.parent_path()) {
            if (auto folder = folders_.find(above.string()); folder != folders_.end())
                return (fs::path(folder->second) / fs::path(place).lexically_relative(above)).string();
            if (above.empty()) return {};
        }
    }

    bool is_left_out(const std::string& module) const {
        std::string top = module.substr(0, module.find('.'));
        return subject_.graph != nullptr &&
               std::ranges::any_of(subject_.graph->left_out,
                                   [&](const trace::LeftOut& one) { return one.name == top; });
    }

    /// A toolkit that only a package asks for may be left out, unless the run failed and it was asked for.
    void need_what_was_left_out() {
        bool failed = std::ranges::any_of(proof_.findings, [](const ProofFinding& one) {
            return one.fails && (one.kind == FindingKind::exit_code || one.kind == FindingKind::no_window);
        });
        if (!failed) return;
        for (ProofFinding& finding : proof_.findings) {
            if (finding.kind != FindingKind::missing_module || !is_left_out(finding.what)) continue;
            finding.fails = true;
            finding.advice = fmt::format("bring it in with --include {}", finding.what);
        }
    }

    // --- what was looked for ------------------------------------------------------------------------------

    void look_at_calls() {
        for (const std::string& name : lacking_) look_at_lacking(name);
        if (!proof_.blind.empty()) return;
        look_at_missing();
        look_at_programs();
        std::set<std::string> host, outside;
        for (const std::string& file : calls_.opened) {
            bool inside = (!tree_.empty() && file.starts_with(tree_ + "/")) || file.starts_with("/opt/") ||
                          is_scratch(file) || starts_with_any(file, of_the_kernel);
            if (inside) continue;
            if (subject_.host->find(base_name(file)) != nullptr)
                host.insert(base_name(file));
            else if (subject_.host->find_file(file) != nullptr)
                system_.insert(file);
            else if (file != clock_library())
                outside.insert(file);
        }
        proof_.host_libraries.assign(host.begin(), host.end());
        for (const std::string& file : outside)
            add({FindingKind::outside_read, file, {}, {}, "it is on no list of what every system has", true});
        proof_.system_files.assign(system_.begin(), system_.end());
        if (tree_here_.empty()) return;
        for (const auto& [place, size] : files_below(tree_here_)) {
            ++proof_.tree_files;
            proof_.tree_size += size;
            std::string path = tree_ + "/" + place;
            bool touched = calls_.opened.contains(path) || calls_.programs.contains(path) ||
                           base_name(place).starts_with('.');
            if (!touched) proof_.untouched.emplace_back(place, size);
        }
        std::ranges::stable_sort(proof_.untouched, std::greater<>(),
                                 [](const auto& one) { return one.second; });
    }

    void look_at_missing() {
        std::set<std::string> libraries;
        for (const std::string& path : calls_.missing) {
            if (is_made_since(path)) continue;
            std::string name = base_name(path);
            std::string absent = tree_ + "/.absent/";
            if (!tree_.empty() && path.starts_with(absent)) {
                look_at_absent_module(path.substr(absent.size()));
            } else if (is_library_name(name)) {
                libraries.insert(name);
            } else if (!tree_.empty() && path.starts_with(tree_ + "/")) {
                std::string place = path.substr(tree_.size() + 1);
                std::string file = here(place);
                if (is_state(file)) continue; // the launcher looks there before it makes the link
                // A theme's sizes are asked for until one has the icon: which are carried is settled.
                if (place.starts_with("share/icons/")) continue;
                // Code is looked for in many places, and modules have their own row.
                bool code = is_code(path);
                // Libraries for Windows look for others that they can do without; those that they can't are
                // told by the emulation.
                bool is_dll = lower_case(name).ends_with(".dll");
                if (is_dll && said_at(name, "").empty()) continue;
                if (!code && !file.empty() && is_file(file) && !is_entry(file)) missing_file(place, file);
                // Folders among modules are places to look for more modules.
                bool among_code = code_folders_.contains(fs::path(place).parent_path().string()) &&
                                  !file.empty() && has_code(file);
                if (!code && !among_code && !file.empty() && is_folder(file)) missing_file(place + "/", file);
            } else if (is_scratch(path)) {
                // A path relative to where the program is started: from source, that is mostly the project.
                // Runtimes look for their own settings there too.
                if (is_code(path)) continue;
                std::string start = std::string(isolated_work) + "/";
                if (subject_.project == nullptr || !path.starts_with(start)) continue;
                std::string file = (subject_.project->folder / path.substr(start.size())).string();
                if (is_file(file))
                    missing_file(path.substr(start.size()), file,
                                 "it is opened relative to the working folder: see working_folder in "
                                 "docs/project-file.md");
            } else if (path != "/" && !path.starts_with("/opt/") && !starts_with_any(path, of_the_kernel)) {
                if (subject_.host->find_file(path) != nullptr)
                    system_.insert(path);
                else if (is_file(path) && subject_.host->find(name) == nullptr)
                    missing_file(path, path,
                                 "the path is fixed in the application: carry the file with --asset, or "
                                 "expect it on every system");
            }
        }
        for (const std::string& name : libraries) look_at_library(name);
    }

    /// Whether an emulator looked for a file before the program made it: on this system that is one call.
    bool is_made_since(const std::string& path) const {
        if (emulation_ == nullptr) return false;
        auto is_below = [&](const std::string& folder, const fs::path& here) {
            std::string inner = relative_to(path, folder);
            return path == folder || (!inner.empty() && is_there(here / inner));
        };
        return (!tree_.empty() && is_below(tree_, tree_here_)) || is_below(isolated_home, places_.home) ||
               is_below(isolated_work, places_.work) || is_below("/tmp", places_.temporary);
    }

    bool is_code(const std::string& file) const {
        return watches_ != nullptr && watches_->is_code_file(file);
    }

    /// The entry's own source, which is compiled in.
    bool is_entry(const std::string& file) const {
        return subject_.project != nullptr &&
               real_path(file) == real_path((subject_.project->folder / subject_.project->entry).string());
    }

    bool has_code(const std::string& folder) const {
        return std::ranges::any_of(list_folder(folder), [&](const FolderEntry& entry) {
            return entry.is_folder || is_code(folder + "/" + entry.name);
        });
    }

    bool is_state(const std::string& file) const {
        if (subject_.project == nullptr) return false;
        std::string inner = relative_to(file, subject_.project->folder.string());
        return !inner.empty() && subject_.project->is_state(inner);
    }

    void missing_file(const std::string& what, const std::string& file, std::string advice = {}) {
        if (advice.empty() && subject_.project != nullptr) {
            std::string inner = relative_to(file, subject_.project->folder.string());
            advice = inner.empty() ? "carry it with --asset, or write package lore for it"
                                   : fmt::format("carry it with --asset '{}'", inner);
        }
        add({FindingKind::missing_file, what, file,
             said_at(base_name(file), base_name(fs::path(file).parent_path().string())), std::move(advice),
             true});
    }

    /// "MODULE:FILE:LINE"
    void look_at_absent_module(const std::string& text) {
        std::string module = text.substr(0, text.find(':'));
        std::string asker = text.size() > module.size() ? text.substr(module.size() + 1) : "";
        if (watches_ == nullptr) return;
        std::string file = watches_->module_file(module);
        if (file.empty()) return;
        std::string from = asker;
        bool own = false;
        // A package stops the import of what is in it.
        bool package = fs::path(file).parent_path().filename() == module.substr(module.rfind('.') + 1);
        if (!tree_.empty() && asker.starts_with(tree_ + "/")) {
            std::size_t colon = asker.rfind(':');
            std::string source = here(asker.substr(tree_.size() + 1, colon - tree_.size() - 1));
            own = subject_.project != nullptr &&
                  !relative_to(source, subject_.project->folder.string()).empty();
            if (!source.empty()) from = source + asker.substr(colon);
        }
        bool on_purpose = !own || is_left_out(module);
        if (subject_.project != nullptr)
            on_purpose |= std::ranges::any_of(subject_.project->exclude, [&](const std::string& pattern) {
                return fits_pattern(module, pattern) || module.starts_with(pattern + ".");
            });
        add({FindingKind::missing_module, module, file, from,
             on_purpose ? "left out: only a package asks for it, or the project excludes it"
                        : fmt::format("bring it in with --include {}",
                                      package ? fmt::format("'{}.*'", module) : module),
             !on_purpose});
    }

    /// The loader looks through several folders: only a name that was found in none is missing.
    void look_at_library(const std::string& name) {
        auto is_it = [&](const std::string& file) { return base_name(file) == name; };
        if (std::ranges::any_of(calls_.opened, is_it) || subject_.host->find(name) != nullptr) return;
        if (subject_.host->is_driver(name)) return;
        std::string found;
        if (!cache_.find(name).empty()) found = cache_.find(name).front();
        for (const std::string& path : calls_.missing)
            if (found.empty() && is_it(path) && !tree_.empty() && path.starts_with(tree_ + "/"))
                if (std::string file = here(path.substr(tree_.size() + 1)); is_file(file)) found = file;
        // Compiled modules are looked for under many names.
        if (found.empty() || is_code(found)) return;
        std::string from = said_at(name, "");
        if (from.empty() && subject_.graph != nullptr)
            for (const trace::LooseEnd& end : subject_.graph->loose_ends)
                if (end.kind == "computed-library") from = fmt::format("{}:{}", end.file, end.line);
        add({FindingKind::missing_library, name, found, from, "bring it in with --include " + name, true});
    }

    /// A library, or a function of one, that the emulation does not have.
    void look_at_lacking(const std::string& name) {
        std::string library = name.substr(0, name.find(".dll") + 4);
        bool of_system = subject_.host->find(library) != nullptr;
        // One that is there and lacks another itself is told as well: the other is what counts.
        if (!of_system && is_in_tree(library)) return;
        add({FindingKind::missing_library,
             name,
             {},
             {},
             of_system ? fmt::format("the system has it, and {} does not: what needs it fails here only",
                                     emulation_->name())
                       : "carry the library with --asset beside the file that needs it",
             !of_system});
    }

    /// Whether the tree has a file of that name, which is in lower case.
    bool is_in_tree(const std::string& name) const {
        bool found = false;
        each_entry_below(tree_here_, [&](const fs::directory_entry& entry) {
            found |= lower_case(entry.path().filename().string()) == name;
        });
        return found;
    }

    void look_at_programs() {
        std::set<std::string> started;
        for (const std::string& program : calls_.programs) {
            bool own = program.starts_with("/opt/") || (!tree_.empty() && program.starts_with(tree_ + "/"));
            if (!own) started.insert(program);
        }
        proof_.programs.assign(started.begin(), started.end());
        std::set<std::string> seen;
        for (const std::string& path : calls_.missing_programs) {
            std::string name = base_name(path);
            bool ran = std::ranges::any_of(calls_.programs,
                                           [&](const std::string& one) { return base_name(one) == name; });
            if (ran || !seen.insert(name).second) continue;
            std::string found = path.starts_with("/nowhere/") ? find_program(name)
                                : is_file(path)               ? path
                                                              : "";
            bool everywhere = subject_.host->find_file(path) != nullptr;
            add({FindingKind::missing_program, name, found, said_at(name, ""),
                 everywhere ? "every system has it"
                            : "users need it too, or it has to come along with --asset",
                 false});
        }
    }

    static std::string find_program(const std::string& name) {
        std::string path = std::getenv("PATH") != nullptr ? std::getenv("PATH") : "";
        for (std::size_t start = 0; start <= path.size();) {
            std::size_t end = std::min(path.find(':', start), path.size());
            std::string file = path.substr(start, end - start) + "/" + name;
            if (is_file(file)) return file;
            start = end + 1;
        }
        return {};
    }

    // --- the end ------------------------------------------------------------------------------------------

    void look_at_end() {
        for (const std::string& program : calls_.left_behind)
            add({FindingKind::left_behind,
                 base_name(program),
                 {},
                 {},
                 "it was still there when the program had ended, and was ended",
                 false});
        if (timed_out_) {
            bool window_is_up = run_.display && proof_.window != "none";
            if (!window_is_up)
                add({FindingKind::time_over,
                     fmt::format("it did not end within {} s", run_.seconds),
                     {},
                     {},
                     "give it more with --seconds, or arguments that let it end",
                     true});
        }
        if (run_.display) {
            if (proof_.window == "none")
                add({FindingKind::no_window, "no window came up", {}, {}, last_line(proof_.err), true});
            else if (proof_.window == "blank")
                add({FindingKind::blank_window,
                     "the window is of one colour",
                     {},
                     {},
                     fmt::format("see {}", run_.picture.string()),
                     true});
            // Whether the window is the right one the picture shows; what went wrong behind it is said here.
            if (std::string said = last_line(proof_.err); !said.empty() && proof_.window != "none")
                add({FindingKind::error_output, "it wrote to standard error, at last:", {}, {}, said, false});
            return;
        }
        bool against = is_compared() && !run_.exit_code;
        // Of another system's codes, which may be larger, only the lowest byte gets here.
        int expected = run_.exit_code.value_or(0) & (emulation_ != nullptr ? 0xFF : ~0);
        if (!against && !timed_out_ && proof_.exit_code != expected)
            add({FindingKind::exit_code,
                 fmt::format("it ended with {} instead of {}", proof_.exit_code, expected),
                 {},
                 {},
                 last_line(proof_.err),
                 true});
        if (run_.output && *run_.output != proof_.out)
            add({FindingKind::output,
                 "standard output is not what is expected",
                 {},
                 {},
                 first_difference(*run_.output, proof_.out, "expected"),
                 true});
        for (const auto& [file, content] : run_.files) {
            auto made = read_text(places_.work / file);
            if (!made)
                add({FindingKind::written_file, file, {}, {}, "it was not written", true});
            else if (*made != content)
                add({FindingKind::written_file,
                     file,
                     {},
                     {},
                     first_difference(content, *made, "expected"),
                     true});
        }
    }

    // --- helpers ------------------------------------------------------------------------------------------

    static bool is_scratch(const std::string& path) {
        return path.starts_with(std::string(isolated_home) + "/") ||
               path.starts_with(std::string(isolated_work) + "/") || path == isolated_home ||
               path == isolated_work || path.starts_with("/tmp");
    }

    /// The line of the application's own code that names one of the texts, the first rather than the second.
    std::string said_at(const std::string& text, const std::string& other) const {
        std::size_t ending = std::min(text.rfind('.'), text.size());
        for (const std::string& part : {text, text.substr(0, ending), text.substr(ending), other})
            if (std::string found = line_that_names(own_sources_, part); !found.empty()) return found;
        return {};
    }

    void add(ProofFinding finding) {
        if (seen_.emplace(finding.kind, finding.what).second) proof_.findings.push_back(std::move(finding));
    }

    const ProofSubject& subject_;
    const ProofRun& run_;
    trace::WatchesImports* watches_ = trace::as<trace::WatchesImports>(subject_.runtime); ///< may be null
    std::unique_ptr<Emulation> emulation_; ///< null where the output is for this machine
    std::vector<std::string> lacking_;     ///< libraries and functions that it did not find
    Proof proof_;
    Calls calls_;
    RunPlaces places_;
    bool timed_out_ = false;
    std::string tree_;                           ///< in the root
    fs::path tree_here_;                         ///< on this machine
    std::map<std::string, std::string> folders_; ///< places in the tree to folders of this machine
    std::set<std::string> code_folders_;         ///< places that hold modules
    std::vector<std::string> own_sources_;       ///< the application's own code
    std::set<std::pair<FindingKind, std::string>> seen_;
    std::set<std::string> system_;
    native::LoaderCache cache_ = native::LoaderCache::read();
};

} // namespace

bool Proof::holds() const { return std::ranges::none_of(findings, &ProofFinding::fails); }

Result<Proof> prove(const ProofSubject& subject, const ProofRun& run) { return Prover(subject, run).prove(); }

} // namespace omnistasis::watch
