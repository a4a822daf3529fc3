#pragma once

#include "runtimes/python/entry.h"
#include "runtimes/python/installed_distributions.h"
#include "runtimes/python/lore.h"
#include "runtimes/python/module_finder.h"
#include "runtimes/python/module_store.h"
#include "runtimes/python/places.h"
#include "runtimes/python/scan_cache.h"
#include "runtimes/python/scanner.h"
#include "support/files.h"
#include "support/system_packages.h"
#include "trace/capabilities.h"
#include "trace/opened_library.h"
#include "trace/trial.h"

#include <fmt/format.h>
#include <map>
#include <mutex>
#include <optional>
#include <ranges>
#include <set>
#include <string>
#include <unordered_map>
#include <unordered_set>
#include <vector>

namespace omnistasis::python {

using trace::Expansion;
using trace::Need;
using trace::Reason;
using trace::Unit;
using trace::UnitKind;
using trace::UnitNeeds;

/// Stands for all names of distributions.
inline constexpr const char* every_distribution = "*";

/// The name of the package that a module is in; empty for a top-level one.
inline std::string parent_of(const std::string& name) {
    std::size_t dot = name.rfind('.');
    return dot == std::string::npos ? std::string() : name.substr(0, dot);
}

inline std::string top_of(const std::string& name) { return name.substr(0, name.find('.')); }

/// What a file of a package or the application is, by its name alone.

inline UnitKind kind_by_name(const std::string& file) {
    return is_library_name(fs::path(file).filename().string()) ? UnitKind::native : UnitKind::data;
}

/// A file that goes into the tree as it is, or as a native library.
inline Unit file_unit(UnitKind kind, const std::string& file, const std::string& place) {
    return {kind, place, file, place, false, false};
}

/// The folder that holds the project and all that its sources reach by paths from where they are: "../data".
fs::path root_of_sources(const Project& project, const Facts& facts);

/// The files of the system's package that brought the entry, where it is a command of the system; sorted.
std::vector<std::string> installed_files(const Project& project, const Entry& entry);

/// The folders among them that modules and packages lie in.
std::set<std::string> folders_of_packages(const std::vector<std::string>& files);

/// Python behind the interface of all languages. Its parts, each in a file of its own:
///
/// python_runtime.cpp        roots, the expansion of a unit, what is kept of a trace
/// python_imports.cpp        import statements and calls: which module is meant, and whether it is needed
/// python_needs.cpp          what a module asks for in other ways: names in strings, libraries, codecs, lore
/// python_settling.cpp       what follows only from all modules together
/// python_distributions.cpp  what goes along with an installed distribution
/// python_relations.cpp      what a system's packages have to do with each other
/// python_own.cpp            the application's own files
/// python_trials.cpp         trial imports
/// python_taken_names.cpp    modules that are imported once a name is taken
/// python_programs.cpp, python_settings.cpp, python_typelibs.cpp, python_qml.cpp
///                           started programs, own settings, introspected libraries, QML
/// python_rehearsal.cpp, python_review.cpp, python_files.cpp
///                           watched runs, the review, what goes into the app tree
class PythonRuntime : public trace::Runtime,
                      public trace::FinalizesGraph,
                      public trace::OffersGroups,
                      public trace::CachesTraces,
                      public trace::KnowsPackages,
                      public trace::WatchesImports,
                      public trace::ReviewsSources {
  public:
    PythonRuntime(Project project, Facts facts, Lore lore, std::filesystem::path helpers,
                  std::filesystem::path lore_folder, std::shared_ptr<Store> store)
        : project_(std::move(project)), facts_(std::move(facts)), lore_(std::move(lore)),
          helpers_(std::move(helpers)), lore_folder_(std::move(lore_folder)), entry_(read_entry(project_)),
          places_(project_, facts_), installed_files_(installed_files(project_, entry_)),
          search_path_(search_path()), finder_(facts_, search_path_),
          installed_(search_path_, marker_variables(facts_.major, facts_.minor, facts_.micro, facts_.platform,
                                                    host_info().processor)),
          scans_(scan_settings(), store), store_(std::move(store)) {
        scan_facts_.major = facts_.major;
        scan_facts_.minor = facts_.minor;
        scan_facts_.platform = facts_.platform;
        for (const auto& [module, lore_entry] : lore_) {
            for (const auto& [name, meant] : lore_entry.stands_for)
                stands_for_.emplace(name.starts_with('.') ? module + name : name, meant);
            on_request_.insert(lore_entry.on_request.begin(), lore_entry.on_request.end());
        }
        for (const auto& [module, lore_entry] : lore_)
            for (const auto& [name, modules] : lore_entry.when_named) {
                watched_.add(name);
                named_rules_.emplace(name, std::pair(module, modules));
            }
        scan_facts_.watched = &watched_;
        if (!installed_files_.empty()) required_programs_ = programs_required_by(entry_.file);
        for (const auto& [name, program] : required_programs_) required_program_names_.insert(name);
        scan_facts_.known_programs = &required_program_names_;
    }

    std::string title() const override {
        return fmt::format("Python {}.{}.{}", facts_.major, facts_.minor, facts_.micro);
    }

    Result<Expansion> roots() override;
    Expansion expand(const Unit& unit) override;
    UnitNeeds finalize(const std::vector<Unit>& units) override;
    std::vector<trace::LooseEnd> final_loose_ends() override;
    std::vector<trace::LeftOut> left_out() override;
    std::vector<std::string> not_carried() override;
    std::optional<std::string> library_place(const std::string& file) override;
    std::string reading_of(const Unit& unit) override;
    std::string learned() const override;
    Result<void> relearn(std::string_view learned) override;
    std::string on_request(const Unit& unit) const override {
        std::string top = trace::is_module(unit.kind) && !unit.own ? top_of(unit.name) : std::string();
        // A choice of toolkit is on request; the way to some library that is there is none.
        bool is_on_request = on_request_.contains(top) && (top != "gi" || !introspected_.is_way_to_library);
        return is_on_request ? top : std::string();
    }
    std::vector<std::string> requested_with(const Unit& unit) override;
    std::filesystem::path program() const override { return facts_.program; }
    Result<std::vector<trace::MadeFile>> make_files(const std::vector<Unit>& code, unsigned jobs,
                                                    Observer& observer) override;

    std::string application_place() const override { return places_.of_root(project_.folder.string()); }
    Expansion recall(const Rehearsed& facts) override;
    Result<trace::WatchedRun> watched_run(const std::filesystem::path& scratch,
                                          const std::vector<std::string>& arguments) override;
    std::vector<std::string> source_command(const std::vector<std::string>& arguments) override;
    std::string module_file(const std::string& module) override;
    std::vector<trace::SeenModule> seen_modules(const std::filesystem::path& scratch) override;
    bool is_code_file(const std::filesystem::path& file) override;
    std::optional<Rehearsed::File> package_file(const std::filesystem::path& file) override;
    std::string place_asked_for(const std::filesystem::path& file) override;
    std::vector<trace::Package> packages(const std::vector<Unit>& units) override;
    trace::Package own_package() override;
    std::vector<trace::VariableRead> variables_read(const Unit& unit) override;
    std::vector<trace::EarlyImport> imports_that_could_wait(const Unit& unit) override;

    trace::Start start() const override {
        return {program_place(),
                isolated({"{tree}/" + places_.library() + "/_omnistasis_main.pyc", "{self}", "{arguments}"})};
    }
    std::vector<trace::InnerLauncher> inner_launchers() const override {
        return {{interpreter_place(), {program_place(), isolated({"{arguments}"})}}};
    }

  private:
    /// What the settling pass looks at.
    struct Scanned {
        std::string name;
        std::string file;
        std::string root;
        bool own = false;
        bool standard = false;
        ScanResult result;
    };

    /// The lore of a module.
    std::vector<const LoreEntry*> lore_of(const std::string& module) const {
        std::vector<const LoreEntry*> lore;
        auto [first, last] = lore_.equal_range(module);
        for (auto entry = first; entry != last; ++entry) lore.push_back(&entry->second);
        return lore;
    }

    /// The interpreter carries the application's name, so that lists of processes show that one.
    std::string program_place() const {
        std::string place = "bin/" + project_.name;
        return place == interpreter_place() ? place + "-program" : place;
    }
    /// The interpreter's arguments: first those that keep the user's own settings away from it.
    std::vector<std::string> isolated(std::vector<std::string> arguments) const {
        std::vector<std::string> all{"-E", "-s", "-S"};
        if (project_.drop_docstrings) all.push_back("-OO");
        all.insert(all.end(), arguments.begin(), arguments.end());
        return all;
    }
    /// What sys.executable names: a launcher that starts the interpreter as isolated as we do.
    std::string interpreter_place() const {
        return "bin/" + std::filesystem::path(facts_.program).filename().string();
    }
    /// The module that runs as __main__, where it has another name too.
    std::string main_module() const {
        return entry_.kind == Entry::Kind::module ? entry_.module : std::string();
    }
    std::vector<std::string> start_from_source(const std::vector<std::string>& arguments) const;
    Result<void> find_entry_module();
    Unit main_unit();
    Expansion all_asked_by(const Unit& unit);
    void note_entry_function(Expansion& out);
    std::vector<std::string> search_path() const;
    std::string scan_settings() const;
    bool excluded(const std::string& name) const;

    Unit unit_of(const std::string& name, const FoundModule& found);
    void want(const std::string& name, const Reason& reason, Expansion& out);
    void want_pattern(const std::string& pattern, const Reason& reason, Expansion& out);
    std::string absolute_module(const Request& request, const std::string& from);
    void note_shadowing(const Unit& unit, Expansion& out);
    void note_surroundings(const Unit& unit, const ScanResult& scan, Expansion& out);
    bool has_no_occasion(const Request& request, const std::string& from, const ScanResult& scan);
    std::string bundled_module(const std::string& module, const std::string& from);
    bool is_development_tool(const std::string& module) const;
    void answer(const Unit& unit, const Request& request, Expansion& out);
    void answer_entry_point(const Request& request, const Reason& reason, Expansion& out);
    void answer_family(const Unit& unit, const Request& request, const Reason& reason, Expansion& out);
    void note_computed_import(const std::string& file, std::uint32_t line, const std::string& what,
                              Expansion& out);
    std::optional<Scanned> scanned_source(const Unit& unit);
    void scan_source(const Unit& unit, Expansion& out);
    void scan_extension(const Unit& unit, Expansion& out);
    void want_names_in(const Unit& unit, const std::string& table, const Reason& reason, Expansion& out);
    void want_named_data(const Unit& unit, const std::string& word, const Reason& reason, Expansion& out);
    void want_word(const Unit& unit, const std::string& name, bool from_python, const Reason& reason,
                   Expansion& out);
    void want_system_paths(const Unit& unit, const ScanResult& result, Expansion& out);
    void want_codecs(const ScanResult& result, const std::string& file, bool own, bool standard,
                     Expansion& out);
    void scan_source_of_extension(const Unit& unit, Expansion& out);
    bool may_lack(const FoundModule& module, const std::string& name);
    void settle_entry_points(const std::unordered_map<std::string, trace::UnitId>& ids, UnitNeeds& needs);
    void want_group(const StringAt& group, const std::string& file, Expansion& out);
    void want_data_of_named(const Scanned& scanned, const StringAt& string, Expansion& out);
    void want_opened_libraries(const Unit& unit, const ScanResult& scan, Expansion& out);
    void want_stubs(const Unit& unit, const std::string& module, Expansion& out);
    bool requires_distribution(const Unit& unit, const std::string& module);
    std::string meant_by(const std::string& name) const;
    bool goes_with_system(const Unit& unit);
    void apply_lore(const Unit& unit, Expansion& out);
    void apply_metadata(const Unit& unit, const ScanResult& result, Expansion& out);
    void want_metadata(const Distribution& distribution, const Reason& reason, Expansion& out);
    // Distributions: python_distributions.cpp
    using UnitIds = std::unordered_map<std::string, trace::UnitId>;
    std::vector<const Distribution*> required_by(const Distribution& distribution,
                                                 const std::set<std::string>& extras) {
        // The application itself may use all that it knows of, once it is installed.
        return installed_.required_by(distribution, extras, &distribution == application_);
    }
    bool is_in_packages(const std::string& file) const;
    bool is_companion(const Unit& unit) const;
    /// Whether nothing reached a module yet. What an installed application has counts, whatever starts it.
    bool only_goes_along(const Scanned& scanned) const {
        return carried_.companions.contains(scanned.name) && !(scanned.own && project_.is_installed);
    }
    bool may_follow(const Unit& companion, const Distribution* of, const Unit& unit);
    bool comes_with_others(const std::string& name) const;
    bool is_of_large(const Distribution* of, const Unit& unit);
    bool may_bring_in(const Unit& companion, const Distribution* of, const Need& need);
    void restrain(const Unit& companion, Expansion& out);
    bool is_passed_over(const Distribution* of, const Unit& unit);
    void note_asked(const Unit& asking, const std::vector<Need>& needs);
    // What packages of the system have to do with each other: python_relations.cpp
    void hold_back_unrelated(const Unit& asking, Expansion& out);
    void let_related_in(const UnitIds& ids, UnitNeeds& needs);
    void settle_companions(const UnitIds& ids, UnitNeeds& needs);
    std::map<std::string, trace::UnitId> newly_reached(const std::vector<Unit>& units);
    void settle_distributions(const std::vector<Unit>& units, UnitNeeds& needs);
    void carry_whole(const Distribution& distribution, const std::string& reached_by,
                     const std::unordered_set<std::string_view>& files, Expansion& out);
    void carry_distribution(const Distribution& distribution, const std::string& reached_by,
                            const std::unordered_set<std::string_view>& files, Expansion& out);
    // The application's own: python_own.cpp
    bool shows_itself(const Unit& unit);
    const Distribution* find_application();
    std::string place_of_own_path(const std::string& path) const;
    bool want_own_path(const Unit& unit, const std::string& path, std::uint32_t line, Expansion& out);
    void want_installed_files(Expansion& out);
    void want_own_file(const std::string& file, const std::string& name, const std::string& place,
                       const Reason& reason, Expansion& out);
    bool is_of_application(const std::string& file);
    void settle_own(const UnitIds& ids, UnitNeeds& needs);
    void want_declared(Expansion& out);
    void want_own_files(Expansion& out);
    void want_whole_library(const std::string& file, std::uint32_t line, UnitNeeds& needs,
                            trace::UnitId from);
    // Introspected libraries: python_typelibs.cpp
    void settle_typelibs(const UnitIds& ids, UnitNeeds& needs);
    bool want_typelib(const std::string& name, const std::vector<std::string>& files, const Reason& reason,
                      Expansion& out);
    // QML: python_qml.cpp
    std::pair<std::string, std::string> qml_root(const UnitIds& ids);
    void settle_qml(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs);
    // Trial imports: python_trials.cpp
    void settle_trials(const std::vector<Unit>& units, UnitNeeds& needs);
    std::set<std::string> distributions_to_ask(const std::vector<Unit>& units);
    void take_trial(const Unit& unit, const trace::TrialRecord& record, Expansion& out);

    // What own settings name: python_settings.cpp
    void settle_settings(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs);
    // What modules import once a name is taken from them: python_taken_names.cpp
    void settle_taken_names(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs);
    void note_late_requests(std::size_t scanned);
    bool is_taken(const std::string& module, std::uint32_t name);
    // Programs that it starts: python_programs.cpp
    void settle_programs(const UnitIds& ids, UnitNeeds& needs);
    bool carry_program(trace::UnitId id, const Scanned& scanned, const StringAt& program, UnitNeeds& needs);

    void settle_sources(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs);
    void want_dotted_string(const Scanned& scanned, const StringAt& string, Expansion& out);
    void want_paths(const Scanned& scanned, Expansion& out);
    void want_resources(const Scanned& scanned, const StringAt& package, Expansion& out);
    void want_surroundings(const Scanned& scanned, Expansion& out);
    std::vector<std::string> near_names(const std::string& name);
    bool covered_by_include(const std::string& prefix) const;

    Project project_;
    Facts facts_;
    Lore lore_;
    std::filesystem::path helpers_;
    std::filesystem::path lore_folder_;
    Entry entry_;
    Places places_;
    /// What the system's package manager installed with the entry; sorted.
    std::vector<std::string> installed_files_;
    /// The programs of the packages that the installed application requires, and their names.
    std::map<std::string, RequiredProgram> required_programs_;
    std::set<std::string, std::less<>> required_program_names_;
    std::vector<std::string> search_path_;
    ModuleFinder finder_;
    InstalledDistributions installed_;
    ScanCache scans_;
    std::shared_ptr<Store> store_;
    ScanFacts scan_facts_;
    WatchedNames watched_;
    std::set<std::string, std::less<>> on_request_; ///< top-level modules
    std::map<std::string, std::string> stands_for_; ///< names that lore knows, to the modules that they are
    std::map<std::string, std::map<std::string, std::string>> moved_; ///< module, path of the system, place
    /// Name that occurs, to the module that must be there too and what is needed then.
    std::multimap<std::string, std::pair<std::string, std::vector<std::string>>> named_rules_;
    std::mutex mutex_;
    std::set<std::string> searched_; ///< sources that were looked into besides their scan
    /// Modules that are entry points, to the distributions that say so; null where that was settled.
    std::multimap<std::string, std::pair<const Distribution*, Reason>> entry_modules_;
    std::map<std::string, bool> entry_folders_; ///< packages that are one, whether their files go along yet
    std::vector<Scanned> scanned_;
    std::size_t settled_ = 0;
    std::set<std::string> import_suffixes_;  ///< what import calls put behind names that they compute
    std::set<std::string> folders_read_;     ///< what is read in packages that strings name
    bool groups_are_computed_ = false;       ///< entry points of groups with computed names are asked for
    std::set<std::string> by_name_packages_; ///< top-level packages known to import by name
    std::map<std::string, std::vector<Need>> held_back_; ///< module, what it might import and may not
    /// What goes along with distributions. Written by the settling pass alone, but for what is withheld and
    /// asked.
    struct Carried {
        std::set<std::string> reached;                         ///< distributions of which a module is needed
        std::map<std::string, std::set<std::string>> required; ///< by each of those
        std::unordered_set<std::string> companions; ///< modules that only go along with their distribution
        std::map<std::string, std::vector<Need>> withheld;        ///< what companions may not bring in
        std::map<std::string, std::vector<trace::LooseEnd>> ends; ///< what would be told of them otherwise
        std::set<std::string>
            without_natives; ///< those of which the native modules go along only where they are reached
        std::set<std::string> asked;         ///< companions that something asked for since the last settling
        std::set<std::string> wanted_groups; ///< of those on request, as far as it is seen
        std::size_t seen_units = 0;
    } carried_;
    std::map<std::string, std::set<std::string>>
        tried_;                                 ///< distribution, modules that were imported on trial
    const Distribution* application_ = nullptr; ///< that the entry, an installed command, starts
    struct {
        std::map<std::string, std::set<std::string>> versions; ///< that some module asks for, by library
        std::set<std::string> settled;                         ///< modules whose requests are answered
        bool is_way_to_library = false; ///< some module asks for libraries that are there and open no windows
    } introspected_;
    /// A request that a module's __getattr__ makes once somebody takes one of `names` from it.
    struct LateRequest {
        std::string module;
        Request request;
        std::vector<std::uint32_t> names; ///< hashes
    };
    std::vector<LateRequest> late_requests_;               ///< those that were not made yet
    std::size_t searched_for_late_ = 0;                    ///< how many of the scanned modules
    std::set<std::uint32_t> late_names_;                   ///< the names of all that there were
    std::set<std::string> settings_read_;                  ///< own files
    std::set<std::pair<std::string, bool>> programs_seen_; ///< that code starts, and whether own code does
    bool carries_programs_ = false;                        ///< some of them go along
    bool whole_library_ = false;                           ///< the standard library goes along whole
    bool reads_own_sources_ = false;                       ///< the application reads Python files as text
    std::set<std::string> with_source_;                    ///< own modules whose source goes along as a file
    std::set<std::string> shows_modules_; ///< distributions that look at their own module files
    std::map<std::string, std::vector<std::string>>
        requested_with_;                           ///< distribution, groups that it requires
    std::map<std::string, bool> brings_libraries_; ///< distributions, whether they bring native libraries
    std::set<std::string>
        idle_lore_; ///< "MODULE/NUMBER": lore whose data is not there, so that nothing of it holds
    std::set<std::string> reads_sources_of_; ///< distributions whose module files are read as texts
    std::set<std::string> imported_;         ///< modules that statements of own modules import
    std::set<std::string> qml_modules_;      ///< folders of QML modules that are carried
    std::size_t seen_qml_ = 0;               ///< units that were looked at for QML
    bool own_settled_ = false;               ///< the application's own files were looked for
    std::vector<trace::LooseEnd> ends_;      ///< what is told once the trace is done
    std::string trial_trouble_;              ///< why packages could not be asked
};

} // namespace omnistasis::python
