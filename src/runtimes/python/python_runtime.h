#pragma once

#include "runtimes/python/companions.h"
#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"
#include "runtimes/python/imports.h"
#include "runtimes/python/introspected_libraries.h"
#include "runtimes/python/metadata_needs.h"
#include "runtimes/python/module_needs.h"
#include "runtimes/python/own_needs.h"
#include "runtimes/python/own_settings.h"
#include "runtimes/python/package_review.h"
#include "runtimes/python/programs_of_modules.h"
#include "runtimes/python/qml_modules.h"
#include "runtimes/python/rehearsals.h"
#include "runtimes/python/string_needs.h"
#include "runtimes/python/taken_names.h"
#include "runtimes/python/target_packages.h"
#include "runtimes/python/tree_files.h"
#include "runtimes/python/trials.h"

#include <fmt/format.h>

namespace omnistasis::python {

/// Python behind the interface of all languages: the order in which its parts come. Each part is a class of
/// its own and says what it does; all of them stand on one ground and add to what is gathered.
class PythonRuntime : public trace::Runtime,
                      public trace::FinalizesGraph,
                      public trace::OffersGroups,
                      public trace::CachesTraces,
                      public trace::KnowsPackages,
                      public trace::BringsLibraries,
                      public trace::TakesPackages,
                      public trace::WatchesImports,
                      public trace::ReviewsSources {
  public:
    /// `facts`: of the target's runtime. `here`: of the project's own interpreter, where that is another.
    PythonRuntime(Project project, Facts facts, std::optional<Facts> here, Lore lore, fs::path helpers,
                  fs::path lore_folder, std::shared_ptr<Store> store)
        : ground_(std::move(project), std::move(facts), std::move(here), std::move(lore), std::move(helpers),
                  std::move(lore_folder), std::move(store)) {}

    std::string title() const override {
        return fmt::format("Python {}.{}.{}", ground_.facts.major, ground_.facts.minor, ground_.facts.micro);
    }
    fs::path program() const override { return ground_.facts.program; }
    Result<Expansion> roots() override;
    Expansion expand(const Unit& unit) override;
    Result<std::vector<trace::MadeFile>> make_files(const std::vector<Unit>& code, unsigned jobs,
                                                    Observer& observer) override {
        return tree_files_.make_files(code, jobs, observer);
    }
    trace::Start start() const override {
        return {ground_.program_place(), ground_.isolated({"{tree}/" + ground_.places.library() +
                                                               "/_omnistasis_main" + ground_.module_suffix(),
                                                           "{self}", "{arguments}"})};
    }
    std::vector<trace::InnerLauncher> inner_launchers() const override {
        return {{ground_.interpreter_place(), {ground_.program_place(), ground_.isolated({"{arguments}"})}}};
    }
    std::string application_place() const override { return ground_.application_place(); }

    UnitNeeds finalize(const std::vector<Unit>& units) override;
    std::vector<trace::LooseEnd> final_loose_ends() override;
    std::set<std::string> made_by_others() override;

    std::string on_request(const Unit& unit) const override { return companions_.on_request(unit); }
    std::vector<std::string> requested_with(const Unit& unit) override {
        return companions_.requested_with(unit);
    }
    std::vector<Needed> needed_groups(const std::vector<Asks>& asks) override {
        auto needed = trials_.needed_groups(asks);
        if (!needed.empty()) packages_.look_again();
        return needed;
    }
    std::vector<trace::LeftOut> left_out() override { return companions_.left_out(); }

    std::string reading_of(const Unit& unit) override;
    std::string learned() const override { return gathered_.learned(); }
    Result<void> relearn(std::string_view learned) override;

    std::vector<trace::Package> packages(const std::vector<Unit>& units) override {
        return review_.packages(units);
    }
    trace::Package own_package() override { return review_.own_package(); }
    std::optional<Rehearsed::File> package_file(const fs::path& file) override {
        return rehearsals_.package_file(file);
    }
    std::optional<std::string> library_place(const std::string& file) override {
        return ground_.library_place(file);
    }
    std::vector<trace::NeededPackage> missing_packages() override { return packages_.missing(); }
    Result<trace::FetchedPackages> fetch_packages(const std::vector<trace::NeededPackage>& needed,
                                                  const fs::path& from, Observer& observer) override {
        return packages_.fetch(needed, from, observer);
    }
    std::string library_for(const std::string& name, const std::string& file) override;
    std::string place_of_library(const std::string& file) override {
        return ground_.library_place(file).value_or("lib/" + fs::path(file).filename().string());
    }
    std::vector<std::string> not_carried() override { return companions_.not_carried(); }

    Result<trace::SourceRun> watched_run(const fs::path& scratch,
                                         const std::vector<std::string>& arguments) override {
        return rehearsals_.watched_run(scratch, arguments);
    }
    Result<trace::SourceRun> source_run(const fs::path& scratch,
                                        const std::vector<std::string>& arguments) override {
        return rehearsals_.source_run(scratch, arguments);
    }
    std::vector<trace::SeenModule> seen_modules(const fs::path& scratch) override {
        return rehearsals_.seen_modules(scratch);
    }
    Expansion recall(const Rehearsed& facts) override { return rehearsals_.recall(facts); }
    std::string module_file(const std::string& module) override { return rehearsals_.module_file(module); }
    bool is_code_file(const fs::path& file) override { return ground_.is_code_file(file); }
    std::string place_asked_for(const fs::path& file) override { return rehearsals_.place_asked_for(file); }

    std::vector<trace::VariableRead> variables_read(const Unit& unit) override {
        return review_.variables_read(unit);
    }
    std::vector<trace::EarlyImport> imports_that_could_wait(const Unit& unit) override {
        return review_.imports_that_could_wait(unit);
    }

  private:
    void note_entry_function(Expansion& out);

    Ground ground_;
    Gathered gathered_;
    Imports imports_{ground_, gathered_};
    MetadataNeeds metadata_{ground_, gathered_, imports_};
    Companions companions_{ground_, gathered_, imports_, metadata_};
    OwnNeeds own_{ground_, gathered_, imports_, companions_};
    ModuleNeeds needs_of_modules_{ground_, gathered_, imports_, metadata_, companions_, own_};
    StringNeeds strings_{ground_, gathered_, imports_, metadata_, companions_, own_};
    StartedPrograms programs_{ground_, gathered_, companions_};
    OwnSettings settings_{ground_, gathered_, strings_, companions_};
    IntrospectedLibraries introspected_{ground_, gathered_, imports_, companions_};
    QmlModules qml_{ground_};
    Trials trials_{ground_, gathered_, imports_, companions_};
    TakenNames taken_names_{ground_, gathered_, metadata_, companions_};
    TreeFiles tree_files_{ground_, gathered_};
    Rehearsals rehearsals_{ground_, imports_};
    PackageReview review_{ground_};
    TargetPackages packages_{ground_, gathered_};
};

} // namespace omnistasis::python
