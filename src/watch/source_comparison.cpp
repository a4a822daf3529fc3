#include "watch/source_comparison.h"

#include "support/files.h"
#include "support/target_info.h"
#include "support/text.h"
#include "trace/capabilities.h"
#include "watch/first_difference.h"
#include "watch/isolation.h"
#include "watch/kept_state.h"
#include "watch/run_settings.h"
#include "watch/source_places.h"

#include <algorithm>
#include <cstdlib>
#include <fmt/format.h>

namespace omnistasis::watch {

namespace {

class SourceComparison {
  public:
    explicit SourceComparison(const BuiltRun& built) : built_(built), project_(*built.subject.project) {}

    Result<std::vector<ProofFinding>> compare(const fs::path& folder) {
        auto places = RunPlaces::make(folder);
        if (!places) return pass_on(places);
        places_ = *places;
        auto* runs = trace::as<trace::RunsFromSource>(built_.subject.runtime);
        auto source = runs->source_run(folder, built_.run.arguments);
        if (!source) return pass_on(source);
        shown_ = SourcePlaces(source->folders);
        auto command = built_.emulation == nullptr ? here(*source) : emulated(*source);
        if (!command) return pass_on(command);
        names_ = common_names();
        // What the source writes beside itself is in the user's data folder once it is built.
        fs::path state = folder / "state from source";
        auto kept = KeptState::keep(project_, folder / "state before");
        if (!kept) return pass_on(kept);
        auto result = run_program(*command, built_.run.input, limits_of(built_.run));
        if (auto back = kept->put_back(state); !back) return pass_on(back);
        if (!result) return pass_on(result);
        if (built_.emulation != nullptr) (void)built_.emulation->lacking(result->err);
        compare_ends(*result);
        compare_files(places_.work, built_.places.work, "");
        compare_files(places_.home, built_.places.home, "~/");
        if (!project_.states.empty()) {
            take_replaced_state();
            compare_files(state, built_.places.home / data_folder(), "state ");
        }
        return std::move(findings_);
    }

  private:
    // --- the source's run ---------------------------------------------------------------------------------

    Result<std::vector<std::string>> here(const trace::SourceRun& source) const {
        std::map<std::string, std::string> variables{{"HOME", places_.home.string()},
                                                     {"LANG", "C.UTF-8"},
                                                     {"USER", "user"},
                                                     {"TMPDIR", places_.temporary.string()}};
        for (const auto& [name, value] : built_.run.variables) variables[name] = value;
        if (auto clock = set_clock(built_.run, variables); !clock) return pass_on(clock);
        if (const char* path = std::getenv("PATH")) variables["PATH"] = path;
        std::vector<std::string> command{"env", "-i", "-C", places_.work.string()};
        for (const auto& [name, value] : variables) command.push_back(name + "=" + value);
        for (std::string& word : source.words()) command.push_back(std::move(word));
        return command;
    }

    Result<std::vector<std::string>> emulated(trace::SourceRun source) const {
        auto options = isolation_of(built_.run, places_);
        if (!options) return pass_on(options);
        std::string own = project_.folder.string();
        for (const SourcePlaces::Shown& one : shown_.shown()) {
            // It may write beside itself, and nowhere else.
            bool is_own = own == one.folder || !relative_to(own, one.folder).empty();
            (is_own ? options->lent : options->shown).emplace_back(one.folder, one.place);
        }
        auto there = [&](std::string& path) {
            if (std::string place = shown_.of(path); !place.empty()) path = built_.emulation->spoken(place);
        };
        for (std::string& word : source.command) there(word);
        char between = built_.emulation->between_paths();
        for (auto& [name, value] : source.variables) {
            std::string list;
            each_part(value, between, [&](std::string_view part) {
                std::string path(part);
                there(path);
                list += (list.empty() ? "" : std::string(1, between)) + path;
            });
            value = list;
        }
        return built_.emulation->source_command(source, *options);
    }

    // --- what both did ------------------------------------------------------------------------------------

    void compare_ends(const ProgramOutput& source) {
        const Proof& built = built_.proof;
        if (source.exit_code != built.exit_code && !built_.timed_out)
            differ(FindingKind::exit_code,
                   fmt::format("it ended with {}, from source with {}", built.exit_code, source.exit_code),
                   last_line(built.err));
        for (auto [kind, stream, from_source, from_built] :
             {std::tuple(FindingKind::output, "output", &source.out, &built.out),
              std::tuple(FindingKind::error_output, "error", &source.err, &built.err)}) {
            std::string difference =
                first_difference(with_common_names(*from_source), with_common_names(*from_built));
            if (!difference.empty())
                differ(kind, fmt::format("standard {} is another than from source", stream), difference);
        }
    }

    /// Both runs are in folders of their own, and the application is in another place: paths, as they are in
    /// the root of a run or on this machine, and what stands for them; those first that lie in others.
    std::vector<std::pair<std::string, std::string>> common_names() const {
        std::vector<std::pair<std::string, std::string>> names;
        auto add = [&](const std::string& path, const std::string& name) {
            if (path.size() > 1) names.emplace_back(path, name);
        };
        auto add_source = [&](const std::string& folder, const std::string& name) {
            add(built_.emulation == nullptr ? folder : shown_.of(folder), name);
        };
        add(built_.tree + "/" + built_.subject.runtime->application_place(), "<application>");
        add_source(project_.folder.string(), "<application>");
        for (const auto& [place, folder] : built_.folders)
            if (!place.empty()) {
                add(built_.tree + "/" + place, "<runtime>/" + place);
                add_source(folder, "<runtime>/" + place);
            }
        for (const RunPlaces* one : {&places_, &built_.places}) {
            add(one->home, "<home>");
            add(one->work, "<work>");
            add(one->temporary, "<temporary>");
        }
        add(isolated_home, "<home>");
        add(isolated_work, "<work>");
        add("/tmp", "<temporary>");
        std::string program = "/opt/" + built_.subject.output.filename().string();
        add(is_folder(built_.subject.output) ? program + "/" + built_.subject.program : program,
            "<application>/<program>");
        std::ranges::stable_sort(names, std::greater<>(), [](const auto& one) { return one.first.size(); });
        return names;
    }

    std::string with_common_names(std::string text) const {
        replace_all(text, "\r\n", "\n");
        for (const auto& [path, name] : names_) {
            std::string said = built_.emulation == nullptr ? path : built_.emulation->spoken(path);
            if (said == path) {
                replace_all(text, path, name);
                continue;
            }
            // Also in texts that are themselves in a text, and with the other separator.
            for (const char* separator : {"\\", "\\\\", "/"}) {
                std::string one = said, other = name;
                replace_all(one, "\\", separator);
                replace_all(other, "/", separator);
                replace_all(text, one, other);
            }
        }
        // A program tells its name in its messages.
        replace_all(text, fs::path(project_.entry).filename().string(), "<program>");
        replace_all(text, "usage: " + built_.subject.program, "usage: <program>");
        return text;
    }

    /// A file that was saved by replacing it is where its link was, until the next start takes it over.
    void take_replaced_state() const {
        for (const omnistasis::State& state : project_.states) {
            fs::path place = built_.tree_here / built_.subject.runtime->application_place() / state.path;
            std::error_code failed;
            auto kind = fs::symlink_status(place, failed).type();
            if (kind != fs::file_type::regular && kind != fs::file_type::directory) continue;
            fs::path content = built_.places.home / data_folder() / state.path;
            fs::remove_all(content, failed);
            fs::rename(place, content, failed);
        }
    }

    bool is_windows() const { return system_of(built_.subject.target) == System::windows; }

    /// Where the built application's state is, in its home.
    std::string data_folder() const {
        return is_windows() ? "AppData/Local/" + fs::path(built_.subject.program).stem().string()
                            : ".local/share/" + built_.subject.program;
    }

    /// Whether a file in the home is the launcher's, not the application's.
    bool is_launchers(const std::string& file) const {
        bool is_tree = is_windows() ? file.starts_with("AppData/Local/omnistasis/")
                                    : file.starts_with(".cache/omnistasis/") ||
                                          file.starts_with(".local/share/omnistasis/");
        return is_tree || (!project_.states.empty() && file.starts_with(data_folder() + "/"));
    }

    void compare_files(const fs::path& source, const fs::path& built, const std::string& start) {
        auto from_source = files_below(source), from_built = files_below(built);
        for (const auto& [file, size] : from_source) {
            auto one = read_text(source / file), other = read_text(built / file);
            if (!from_built.contains(file))
                differ(FindingKind::written_file, start + file, "only the run from source wrote it");
            else if (one && other && *one != *other)
                differ(FindingKind::written_file, start + file, "its content is another than from source");
        }
        for (const auto& [file, size] : from_built)
            if (!from_source.contains(file) && !(start == "~/" && is_launchers(file)) &&
                !file.starts_with(".omnistasis."))
                differ(FindingKind::written_file, start + file, "only the built application wrote it");
    }

    void differ(FindingKind kind, std::string what, std::string how) {
        findings_.push_back({kind, std::move(what), {}, {}, std::move(how), true});
    }

    const BuiltRun& built_;
    const Project& project_;
    RunPlaces places_;
    SourcePlaces shown_{{}};
    std::vector<std::pair<std::string, std::string>> names_; ///< see common_names
    std::vector<ProofFinding> findings_;
};

} // namespace

Result<std::vector<ProofFinding>> compare_with_source(const BuiltRun& built, const fs::path& scratch) {
    return SourceComparison(built).compare(scratch);
}

} // namespace omnistasis::watch
