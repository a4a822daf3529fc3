#pragma once

// What a runtime may know besides the core (trace/runtime.h). Each capability is an interface of its own: a
// language implements those that it has. Callers ask the runtime for a capability by type, and do without it
// where it is missing.

#include "trace/runtime.h"

#include <set>

namespace omnistasis::trace {

/// The runtime's `Capability`; null where it has none of that type.
template <typename Capability> Capability* as(Runtime& runtime) {
    return dynamic_cast<Capability*>(&runtime);
}
template <typename Capability> Capability* as(Runtime* runtime) { return dynamic_cast<Capability*>(runtime); }

/// What units need, each unit by its number.
using UnitNeeds = std::vector<std::pair<UnitId, Need>>;

/// Knows what follows from the whole of a trace.
class FinalizesGraph {
  public:
    virtual ~FinalizesGraph() = default;

    /// Called when nothing is left to expand: needs that follow from the whole of what was found. Units may
    /// be named again; the trace ends when nothing new comes.
    virtual UnitNeeds finalize(const std::vector<Unit>& units) = 0;

    /// What is to be told once the trace is done.
    virtual std::vector<LooseEnd> final_loose_ends() { return {}; }

    /// Modules that have no file: others put them where modules are known, as they run.
    virtual std::set<std::string> made_by_others() { return {}; }
};

/// Knows groups of units that come only with an application that wants them itself: many packages can work
/// with one of several toolkits, and try each that is installed.
class OffersGroups {
  public:
    virtual ~OffersGroups() = default;

    /// The group that a unit belongs to; else empty.
    virtual std::string on_request(const Unit& unit) const = 0;

    /// Groups that come along with a unit that is wanted, because its package can't do without them.
    virtual std::vector<std::string> requested_with(const Unit& unit) = 0;

    /// A unit of a package that asks for groups as if it could do without.
    struct Asks {
        const Unit* unit;
        std::set<std::string> groups;
    };
    struct Needed {
        const Unit* unit;
        std::string group;
    };
    /// Those that they can't do without, whatever they say: one of several is enough for them, and without
    /// any they do not load.
    virtual std::vector<Needed> needed_groups(const std::vector<Asks>&) { return {}; }

    /// What only packages asked for, that can do without it, and that was not brought into the trace at all.
    virtual std::vector<LeftOut> left_out() = 0;
};

/// Can say what a trace depends on, so that one is used again after a change that means nothing to it.
class CachesTraces {
  public:
    virtual ~CachesTraces() = default;

    /// What a trace takes from the source file of one of the application's own units: equal bytes mean that
    /// it would find the same. Empty where that can't be said. Also called without a trace before it.
    virtual std::string reading_of(const Unit& unit) = 0;

    /// What this learned in a trace that `make_files` needs besides the graph.
    virtual std::string learned() const = 0;

    /// Takes that back, instead of a trace.
    virtual Result<void> relearn(std::string_view learned) = 0;
};

/// An installed package, as its metadata names it.
struct Package {
    std::string name;
    std::string version;
    std::string type;                       ///< of package URLs (purl): "pypi", "npm"
    std::string licence_expression;         ///< SPDX, where the metadata has it; else empty
    std::vector<std::string> licence_names; ///< what it says of its licence in other words
    std::vector<std::string> licence_files;
    std::string homepage;
    std::string metadata_file;
    std::vector<UnitId> units; ///< of those that were asked for
};

/// Knows the packages that the application uses.
class KnowsPackages {
  public:
    virtual ~KnowsPackages() = default;

    /// The installed packages that units are of, sorted by name, without the application's own.
    virtual std::vector<Package> packages(const std::vector<Unit>& units) = 0;

    /// The runtime itself, as a package.
    virtual Package own_package() = 0;

    /// A file of an installed package: the package and the path in it; nothing where it is no package's.
    virtual std::optional<Rehearsed::File> package_file(const std::filesystem::path& file) = 0;

    /// The place of a native library that belongs to an installed package: files of a package look for each
    /// other where the package has them. Nothing where it may lie anywhere.
    virtual std::optional<std::string> library_place(const std::string&) { return std::nullopt; }

    /// What is installed beside an application that is itself installed, and was not reached; sorted.
    virtual std::vector<std::string> not_carried() { return {}; }
};

/// Knows where libraries lie that its packages and the runtime itself bring, for another system than this
/// machine's.
class BringsLibraries {
  public:
    virtual ~BringsLibraries() = default;

    /// The library of a name that `file` asks for; empty where none of them is it.
    virtual std::string library_for(const std::string& name, const std::string& file) = 0;

    /// Its place in the app tree.
    virtual std::string place_of_library(const std::string& file) = 0;
};

/// A package that the application needs on another system, and that is not there for it.
struct NeededPackage {
    std::string name;
    std::string version;  ///< the one of this machine; empty where it has none
    std::string versions; ///< those that fit what requires it: ">=1.4"; empty where none does
    std::string file;     ///< what asks for it
    std::uint32_t line = 0;
    bool is_optional = false; ///< the application can do without
};

/// What was brought of them.
struct FetchedPackages {
    struct One {
        std::string name, version, file;
    };
    std::vector<One> packages;
    std::vector<std::string> lacking;  ///< optional ones that are nowhere
    std::vector<std::string> commands; ///< that were run
};

/// Takes packages for another system than this machine's from a stock.
class TakesPackages {
  public:
    virtual ~TakesPackages() = default;

    /// What the last trace missed; sorted by name.
    virtual std::vector<NeededPackage> missing_packages() = 0;

    /// Brings them into the stock; `from`: a folder instead of a registry, or empty.
    virtual Result<FetchedPackages> fetch_packages(const std::vector<NeededPackage>& needed,
                                                   const std::filesystem::path& from, Observer& observer) = 0;
};

/// How an application is run from source. Paths are this machine's.
struct SourceRun {
    std::vector<std::string> command;
    std::map<std::string, std::string> variables; ///< added to the environment
    /// What it needs of this machine's files, where that is not all of them: folders in which every path lies
    /// that the command has as a word, or a variable in a list (as its target's system separates those).
    std::vector<std::filesystem::path> folders;

    /// All of it as one command, for this machine.
    std::vector<std::string> words() const {
        std::vector<std::string> all{"env"};
        for (const auto& [name, value] : variables) all.push_back(name + "=" + value);
        all.insert(all.end(), command.begin(), command.end());
        return all;
    }
};

/// Can run the application from source, on the target's system.
class RunsFromSource {
  public:
    virtual ~RunsFromSource() = default;

    /// With nothing added to what the application does. What has to be written for it goes into `scratch`.
    virtual Result<SourceRun> source_run(const std::filesystem::path& scratch,
                                         const std::vector<std::string>& arguments) = 0;
};

/// A module that was imported while the application was watched.
struct SeenModule {
    std::string name;
    std::string file; ///< of the code that imported it; empty where that is not known
    std::uint32_t line = 0;
};

/// Can watch what an application imports, and compare it with what a built one finds.
class WatchesImports : public virtual RunsFromSource {
  public:
    /// The command that runs the application from source, noting its imports in the folder `scratch`.
    virtual Result<SourceRun> watched_run(const std::filesystem::path& scratch,
                                          const std::vector<std::string>& arguments) = 0;

    /// What was noted there.
    virtual std::vector<SeenModule> seen_modules(const std::filesystem::path& scratch) = 0;

    /// The units that facts of rehearsals mean; those that are not there any more are left out.
    virtual Expansion recall(const Rehearsed& facts) = 0;

    /// The file that an import of `module` would find from source; empty where there is none. A built
    /// application tells the modules that it finds nowhere by asking the file system for
    /// `TREE/.absent/MODULE:FILE:LINE`, where file and line are those of the code that asks.
    virtual std::string module_file(const std::string& module) = 0;

    /// Whether imports stand for a file: source, bytecode, extension modules.
    virtual bool is_code_file(const std::filesystem::path& file) = 0;

    /// Where a built application will look for a file that the source reads at `file`; empty where that is
    /// not known.
    virtual std::string place_asked_for(const std::filesystem::path&) { return {}; }
};

/// A variable of the environment that a source reads.
struct VariableRead {
    std::string name;
    std::uint32_t line = 0;
};

/// An import at the top of a source whose module is used only inside of functions.
struct EarlyImport {
    std::string module;
    std::uint32_t line = 0;
};

/// Reads more in sources than a trace needs.
class ReviewsSources {
  public:
    virtual ~ReviewsSources() = default;

    /// The variables of the environment that the source of a unit reads by constant names.
    virtual std::vector<VariableRead> variables_read(const Unit& unit) = 0;

    /// Imports in the source of a unit that could wait until a function needs them.
    virtual std::vector<EarlyImport> imports_that_could_wait(const Unit& unit) = 0;
};

} // namespace omnistasis::trace
