#pragma once

#include "project/own_files.h"
#include "runtimes/lua/lua_facts.h"
#include "runtimes/lua/module_finder.h"
#include "runtimes/lua/rocks.h"
#include "runtimes/lua/scanner.h"
#include "support/files.h"
#include "trace/capabilities.h"

#include <map>
#include <mutex>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::lua {

using trace::Expansion;
using trace::Need;
using trace::Reason;
using trace::Unit;
using trace::UnitKind;
using trace::UnitNeeds;

/// The result of a scan, kept in the store for as long as the file stays the same; nothing where it can't be
/// read.
std::optional<ScanResult> scan_file(const std::string& file, const std::string& module, Store& store);

/// A scan's serialized form.
std::string stored_form(const ScanResult& result);

/// Lua behind the interface of all languages. What sources ask for is in lua_runtime.cpp, what goes along
/// with packages and the project in lua_whole.cpp, what goes into the app tree in lua_files.cpp, what a
/// watched run shows and what a review asks for in lua_review.cpp.
class LuaRuntime : public trace::Runtime,
                   public trace::FinalizesGraph,
                   public trace::CachesTraces,
                   public trace::KnowsPackages,
                   public trace::WatchesImports,
                   public trace::ReviewsSources {
  public:
    LuaRuntime(Project project, Facts facts, std::filesystem::path helpers, std::shared_ptr<Store> store);

    std::string title() const override {
        return facts_.is_jit() ? "LuaJIT " + facts_.jit : "Lua " + facts_.version;
    }
    std::filesystem::path program() const override { return facts_.program; }
    Result<Expansion> roots() override;
    Expansion expand(const Unit& unit) override;
    Result<std::vector<trace::MadeFile>> make_files(const std::vector<Unit>& code, unsigned jobs,
                                                    Observer& observer) override;
    trace::Start start() const override;
    std::vector<trace::InnerLauncher> inner_launchers() const override;
    std::string application_place() const override;

    UnitNeeds finalize(const std::vector<Unit>& units) override;
    std::vector<trace::LooseEnd> final_loose_ends() override { return ends_; }

    std::string reading_of(const Unit& unit) override;
    std::string learned() const override { return {}; }
    Result<void> relearn(std::string_view) override { return {}; }

    std::vector<trace::Package> packages(const std::vector<Unit>& units) override;
    trace::Package own_package() override;
    std::optional<Rehearsed::File> package_file(const std::filesystem::path& file) override;

    Result<trace::SourceRun> source_run(const std::filesystem::path& scratch,
                                        const std::vector<std::string>& arguments) override;
    Result<trace::SourceRun> watched_run(const std::filesystem::path& scratch,
                                         const std::vector<std::string>& arguments) override;
    std::vector<trace::SeenModule> seen_modules(const std::filesystem::path& scratch) override;
    Expansion recall(const Rehearsed& facts) override;
    std::string module_file(const std::string& module) override { return finder_.find(module).file; }
    bool is_code_file(const std::filesystem::path& file) override;
    std::string place_asked_for(const std::filesystem::path& file) override;

    std::vector<trace::VariableRead> variables_read(const Unit& unit) override;
    std::vector<trace::EarlyImport> imports_that_could_wait(const Unit&) override { return {}; }

  private:
    bool is_own(const std::string& file) const;
    bool is_excluded(const std::string& name) const;
    std::string place_of(const std::string& file) const;
    std::string root_of(const std::string& file) const;
    std::string module_name_of(const std::string& file) const;
    std::string interpreter_place() const;
    std::string program_place() const;
    std::vector<std::string> isolated(std::vector<std::string> arguments) const;
    std::string settings() const;

    Unit entry_unit() const;
    Unit file_unit(UnitKind kind, const std::string& file) const;
    Unit source_or_data(const std::string& file) const;
    Unit module_unit(const FoundModule& found) const;
    std::string with_paths(const std::string& text, const std::string& source) const;
    std::string path_of(const std::string& text, const std::string& source) const;
    const OwnFiles& own_files();
    void add_search_paths();
    void want_module(const std::string& name, const Reason& reason, Expansion& out);
    void answer(const Unit& unit, const Request& request, Expansion& out);
    void answer_names(const Unit& unit, const ScanResult& scan, Expansion& out);
    void answer_paths(const Unit& unit, const ScanResult& scan, Expansion& out);
    void note_effects(const Unit& unit, const ScanResult& scan, Expansion& out);
    void restrain(const Unit& companion, Expansion& out);
    void settle_own_files(const std::vector<Unit>& units, UnitNeeds& needs);
    std::vector<std::string> files_with(const std::string& file) const;

    Project project_;
    Facts facts_;
    std::filesystem::path helpers_;
    std::shared_ptr<Store> store_;
    std::string entry_;  ///< absolute
    std::string base_;   ///< the folder of the application's own files, absolute
    std::string folder_; ///< the project's, absolute
    ModuleFinder finder_;
    Rocks rocks_;
    std::set<std::string> preloaded_;   ///< modules that own code puts into package.preload
    std::optional<OwnFiles> own_files_; ///< once they were looked for
    bool own_settled_ = false;
    std::set<std::string> whole_;                       ///< packages that were looked at
    std::set<std::string> companions_;                  ///< modules that only go along with their package
    std::map<std::string, std::vector<Need>> withheld_; ///< what companions may not bring in, by name
    std::vector<trace::LooseEnd> ends_;
    std::mutex mutex_;
};

} // namespace omnistasis::lua
