#pragma once

#include "runtimes/node/lore.h"
#include "runtimes/node/node_language.h"
#include "runtimes/node/placement.h"
#include "runtimes/node/resolver.h"
#include "runtimes/node/scanner.h"
#include "support/files.h"
#include "trace/capabilities.h"
#include "trace/trial.h"

#include <map>
#include <mutex>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::node {

using trace::Expansion;
using trace::Need;
using trace::Reason;
using trace::Unit;
using trace::UnitKind;
using trace::UnitNeeds;

/// What a runtime is, as its files say.
struct Facts {
    std::string program;   ///< real path
    std::string version;   ///< as "20.11.1"
    std::string target;    ///< what it is for
    std::string system;    ///< as `process.platform` says it: "linux", "win32", "darwin"
    std::string processor; ///< as `process.arch` says it: "x64", "arm64"
    bool runs_here = false;
};

/// Node.js behind the interface of all languages. What files ask for is in node_runtime.cpp, what comes with
/// a package in node_packages.cpp, what a watched run shows in node_rehearsal.cpp, what a review asks for in
/// node_review.cpp, what goes into the app tree in node_files.cpp.
class NodeRuntime : public trace::Runtime,
                    public trace::FinalizesGraph,
                    public trace::CachesTraces,
                    public trace::KnowsPackages,
                    public trace::WatchesImports,
                    public trace::ReviewsSources {
  public:
    NodeRuntime(Project project, Facts facts, Lore lore, std::filesystem::path helpers,
                std::shared_ptr<Store> store);

    std::string title() const override { return "Node.js " + facts_.version; }
    Result<Expansion> roots() override;
    Expansion expand(const Unit& unit) override;
    UnitNeeds finalize(const std::vector<Unit>& units) override;
    std::vector<trace::LooseEnd> final_loose_ends() override;
    std::string reading_of(const Unit& unit) override;
    std::string learned() const override { return {}; }
    Result<void> relearn(std::string_view) override { return {}; }
    std::filesystem::path program() const override { return facts_.program; }
    Result<std::vector<trace::MadeFile>> make_files(const std::vector<Unit>& code, unsigned jobs,
                                                    Observer& observer) override;
    std::string application_place() const override { return placement_.own_place(project_.folder.string()); }
    Expansion recall(const Rehearsed& facts) override;
    Result<trace::SourceRun> watched_run(const std::filesystem::path& scratch,
                                         const std::vector<std::string>& arguments) override;
    Result<trace::SourceRun> source_run(const std::filesystem::path& scratch,
                                        const std::vector<std::string>& arguments) override;
    std::string module_file(const std::string& module) override;
    std::vector<trace::SeenModule> seen_modules(const std::filesystem::path& scratch) override;
    bool is_code_file(const std::filesystem::path& file) override;
    std::optional<Rehearsed::File> package_file(const std::filesystem::path& file) override;
    std::string place_asked_for(const std::filesystem::path& file) override;
    std::vector<trace::Package> packages(const std::vector<Unit>& units) override;
    trace::Package own_package() override;
    std::vector<trace::VariableRead> variables_read(const Unit& unit) override;
    std::vector<trace::EarlyImport> imports_that_could_wait(const Unit& unit) override;
    trace::Start start() const override;
    std::vector<trace::InnerLauncher> inner_launchers() const override;

  private:
    std::string ending() const {
        const TargetInfo* info = find_target(facts_.target);
        return info == nullptr ? std::string() : info->program_ending;
    }
    std::string program_place() const;
    std::string interpreter_place() const { return "bin/node" + ending(); }
    std::vector<std::string> own_options() const;
    bool is_excluded(const std::string& name) const;

    Unit unit_of(const std::string& file, const std::string& place) const;
    void want_file(const Found& found, const Unit& from, const std::string& name, const Reason& reason,
                   Expansion& out);
    void answer(const Unit& unit, const Request& request, Expansion& out);
    void answer_missing(const Unit& unit, const Request& request, const std::string& what, const Found& found,
                        const Reason& reason, Expansion& out);
    void answer_path(const Unit& unit, const Request& request, const std::string& path, const Reason& reason,
                     Expansion& out);
    void answer_family(const Unit& unit, const Request& request, const std::string& pattern,
                       const Reason& reason, Expansion& out);
    void answer_computed_package(const Unit& unit, const Request& request, const Reason& reason,
                                 Expansion& out);
    void want_folder(const Unit& unit, const std::string& folder, const std::string& pattern,
                     const Reason& reason, Expansion& out);
    void want_scopes(const Unit& unit, Expansion& out);
    void want_specifier(const std::string& text, const Unit& from, const Reason& reason, Expansion& out);
    void expand_package(const Unit& unit, const PackageJson& package, Expansion& out);
    void want_addons(const Unit& unit, const PackageJson& package, Expansion& out);
    void want_parts_for_system(const Unit& unit, const PackageJson& package, Expansion& out);
    void apply_lore(const Unit& unit, const PackageJson& package, Expansion& out);
    bool fits_target(const PackageJson& package) const;
    bool is_addon_for_target(const std::string& file) const;
    std::string project_unit_place() const;
    void settle_declared(const std::vector<Unit>& units, UnitNeeds& needs);
    void want_declared(const std::string& name, const Unit& main, const Reason& reason, bool required,
                       Expansion& out);
    void settle_named(const std::vector<Unit>& units, UnitNeeds& needs);
    std::map<std::string, std::vector<std::string>> modules_to_try(const std::vector<Unit>& units);
    void settle_trials(const std::vector<Unit>& units, UnitNeeds& needs);
    void take_trial(const std::vector<Unit>& units, const std::map<std::string_view, trace::UnitId>& ids,
                    const trace::TrialRecord& record, UnitNeeds& needs);
    void settle_small_packages(const std::vector<Unit>& units, UnitNeeds& needs);
    void settle_own_files(const std::vector<Unit>& units, UnitNeeds& needs);

    Project project_;
    Facts facts_;
    Lore lore_;
    std::filesystem::path helpers_;
    std::shared_ptr<Store> store_;
    Resolver resolver_;
    Placement placement_;
    std::string entry_; ///< real path
    bool own_settled_ = false;
    bool declared_settled_ = false;
    std::set<std::string> searched_;         ///< packages whose files were searched for names, by place
    std::set<std::string> tried_;            ///< files that were loaded on trial
    std::string trial_trouble_;              ///< why packages could not be asked; empty where they could
    std::set<std::string> whole_;            ///< packages that were looked at: folder and place
    std::vector<trace::LooseEnd> ends_;      ///< what is told once the trace is done
    std::vector<std::string> entry_options_; ///< that the entry's first line gives the runtime
};

} // namespace omnistasis::node
