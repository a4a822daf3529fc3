#pragma once

#include "project/project.h"
#include "support/observer.h"
#include "trace/graph.h"

#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace omnistasis::trace {

/// A unit that is needed, and why.
struct Need {
    Unit unit;
    Reason reason;
};

/// A wish that nothing answers. Whether it is a loose end depends on whether the unit that has it is needed
/// itself in every run; the tracer decides.
struct Unanswered {
    std::string name;
    Reason reason;
    std::vector<std::string> near; ///< names that may have been meant
    std::string
        unfit; ///< a file that would be it, but is for another version or system; empty where there is none
};

/// All that one unit asks for.
struct Expansion {
    std::vector<Need> needs;
    std::vector<Unanswered> unanswered;
    std::vector<LooseEnd> loose_ends;
};

/// A piece of content that the runtime makes for the app tree.
struct MadeFile {
    std::string place; ///< relative to the app tree
    std::string content;
    unsigned mode = 0644;
    std::vector<std::size_t> cuts{}; ///< offsets of parts that change apart from each other, ascending
    /// How many of its bytes are there for which unit, by the unit's name.
    std::vector<std::pair<std::string, std::uint64_t>> shares{};
    bool gives_way = false; ///< to a file of the plan that goes to the same place
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

/// How the launcher starts the app tree's program. Arguments may hold `{tree}`, the app tree's absolute path;
/// `{self}`, the launcher's name as it was called; and one argument may be `{arguments}`, all of the user's.
struct Start {
    std::string program;                ///< a place in the app tree
    std::vector<std::string> arguments; ///< what follows the program's own name
    /// Variables of the user's environment that would change what the program loads. It finds each under the
    /// name `OMNISTASIS_KEPT_NAME` instead, and puts it back for the programs that it starts.
    std::vector<std::string> kept_variables{};
};

/// A second way into the app tree: a launcher inside it.
struct InnerLauncher {
    std::string place;
    Start start;
};

/// How an application is run from source while it is watched.
struct WatchedRun {
    std::vector<std::string> command;
    std::map<std::string, std::string> variables; ///< added to the environment
};

/// A module that was imported while the application was watched.
struct SeenModule {
    std::string name;
    std::string file; ///< of the code that imported it; empty where that is not known
    std::uint32_t line = 0;
};

/// When it is seen whether the entry point is valid source: at once, which may mean to ask the runtime; or
/// when files are made of the sources, which says so just as well.
enum class EntryCheck : std::uint8_t { now, with_the_files };

/// One language's knowledge. Everything else of Omnistasis sees languages through this interface only.
class Runtime {
  public:
    virtual ~Runtime() = default;

    /// As people say it: "Python 3.11.2".
    virtual std::string title() const = 0;

    /// What is needed before anything is scanned: the entry point, the runtime itself, what the project
    /// names.
    virtual Result<Expansion> roots() = 0;

    /// What `unit` asks for. Called from many threads, once for each unit.
    virtual Expansion expand(const Unit& unit) = 0;

    /// Called when nothing is left to expand: needs that follow from the whole of what was found. Units may
    /// be named again; the trace ends when nothing new comes.
    virtual std::vector<std::pair<UnitId, Need>> settle(const std::vector<Unit>& units) = 0;

    /// What is to be told once the trace is done.
    virtual std::vector<LooseEnd> final_loose_ends() { return {}; }

    /// The place of a native library that belongs to an installed package: files of a package look for each
    /// other where the package has them. Nothing where it may lie anywhere.
    virtual std::optional<std::string> library_place(const std::string&) { return std::nullopt; }

    /// What a trace takes from the source file of one of the application's own units: equal bytes mean that
    /// it would find the same. Empty where that can't be said. Also called without a trace before it.
    virtual std::string reading_of(const Unit& unit) = 0;

    /// What this learned in a trace that `make_files` needs besides the graph.
    virtual std::string learned() const = 0;

    /// Takes that back, instead of a trace.
    virtual Result<void> relearn(std::string_view learned) = 0;

    /// The group that a unit belongs to, where the group comes only with an application that wants it itself;
    /// else empty. Many packages can work with one of several toolkits, and try each that is installed.
    virtual std::string on_request(const Unit& unit) const = 0;

    /// What only packages asked for, that can do without it, and that it did not bring into the trace at all.
    virtual std::vector<LeftOut> left_out() { return {}; }

    /// What is installed beside an application that is itself installed, and was not reached; sorted.
    virtual std::vector<std::string> not_carried() { return {}; }

    /// Groups that come along with a unit that is wanted, because its package can't do without them.
    virtual std::vector<std::string> requested_with(const Unit&) { return {}; }

    /// The program whose own libraries and search paths come first when a native library is looked up.
    virtual std::filesystem::path program() const = 0;

    /// Compiles `code` units and adds whatever else the runtime puts into the tree.
    virtual Result<std::vector<MadeFile>> make_files(const std::vector<Unit>& code, unsigned jobs,
                                                     Observer& observer) = 0;

    /// Where the project's folder is in the app tree.
    virtual std::string application_place() const = 0;

    /// The units that facts of rehearsals mean; those that are not there any more are left out.
    virtual Expansion recall(const Rehearsed& facts) = 0;

    /// The command that runs the application from source, noting its imports in the folder `scratch`.
    virtual Result<WatchedRun> watched_run(const std::filesystem::path& scratch,
                                           const std::vector<std::string>& arguments) = 0;

    /// The command that runs the application from source, with nothing added.
    virtual std::vector<std::string> source_command(const std::vector<std::string>& arguments) = 0;

    /// The file that an import of `module` would find from source; empty where there is none. A built
    /// application tells the modules that it finds nowhere by asking the file system for
    /// `TREE/.absent/MODULE:FILE:LINE`, where file and line are those of the code that asks.
    virtual std::string module_file(const std::string& module) = 0;

    /// What was noted there.
    virtual std::vector<SeenModule> seen_modules(const std::filesystem::path& scratch) = 0;

    /// Whether imports stand for a file: source, bytecode, extension modules.
    virtual bool is_code_file(const std::filesystem::path& file) = 0;

    /// A file of an installed package: the package and the path in it; nothing where it is no package's.
    virtual std::optional<Rehearsed::File> package_file(const std::filesystem::path& file) = 0;

    /// Where a built application will look for a file that the source reads at `file`; empty where that is
    /// not known.
    virtual std::string place_asked_for(const std::filesystem::path&) { return {}; }

    /// The installed packages that units are of, sorted by name, without the application's own.
    virtual std::vector<Package> packages(const std::vector<Unit>& units) = 0;

    /// The runtime itself, as a package.
    virtual Package own_package() = 0;

    /// The variables of the environment that the source of a unit reads by constant names.
    virtual std::vector<VariableRead> variables_read(const Unit& unit) = 0;

    /// Imports in the source of a unit that could wait until a function needs them.
    virtual std::vector<EarlyImport> imports_that_could_wait(const Unit& unit) = 0;

    virtual Start start() const = 0;
    virtual std::vector<InnerLauncher> inner_launchers() const = 0;
};

} // namespace omnistasis::trace
