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

/// A request that could not be resolved. It is a loose end only if every run needs the unit that makes it;
/// the tracer decides.
struct Unanswered {
    std::string name;
    Reason reason;
    std::vector<std::string> near; ///< names that may have been meant
    std::string
        unfit; ///< a file that would be it, but is for another version or system; empty where there is none
    std::string advice{}; ///< what to try; empty: what is usual
};

/// All that one unit asks for.
struct Expansion {
    std::vector<Need> needs;
    std::vector<Unanswered> unanswered;
    std::vector<LooseEnd> loose_ends;
};

/// What the runtime makes for the app tree: a piece of content, or a file or folder on this machine's disk.
struct MadeFile {
    std::string place; ///< relative to the app tree
    std::string content;
    unsigned mode = 0644;
    std::vector<std::size_t> cuts{}; ///< offsets of parts that change apart from each other, ascending
    /// How many of its bytes are there for which unit, by the unit's name.
    std::vector<std::pair<std::string, std::uint64_t>> shares{};
    bool gives_way = false; ///< to a file of the plan that goes to the same place
    /// Instead of `content`: a file of this machine, or a folder that goes to `place` with all that is in it.
    std::filesystem::path source{};
};

/// How the launcher starts the app tree's program. Arguments and values of variables may hold `{tree}`, the
/// app tree's absolute path, and `{self}`, the launcher's name as it was called, anywhere and more than once;
/// one argument may be `{arguments}`, all of the user's.
struct Start {
    std::string program;                ///< a place in the app tree
    std::vector<std::string> arguments; ///< what follows the program's own name
    /// Variables of the user's environment that would change what the program loads. It finds each under the
    /// name `OMNISTASIS_KEPT_NAME` instead, and puts it back for the programs that it starts.
    std::vector<std::string> kept_variables{};
    /// Variables for the program. The user's own value of one is kept as above.
    std::map<std::string, std::string> set_variables{};
};

/// A second way into the app tree: a launcher inside it.
struct InnerLauncher {
    std::string place;
    Start start;
};

/// When it is seen whether the entry point is valid source: at once, which may mean to ask the runtime; or
/// when files are made of the sources, which says so just as well.
enum class EntryCheck : std::uint8_t { now, with_the_files };

/// One language's knowledge: what every language has to know. What some know besides is a capability, an
/// interface of its own (trace/capabilities.h) that a runtime may implement too. Everything else of
/// Omnistasis sees languages through these only.
class Runtime {
  public:
    virtual ~Runtime() = default;

    /// As people say it: "Python 3.11.2".
    virtual std::string title() const = 0;

    /// The program that runs the application. Its own libraries and search paths come first when a native
    /// library is looked up.
    virtual std::filesystem::path program() const = 0;

    /// What is needed before anything is scanned: the entry point, the runtime itself, what the project
    /// names.
    virtual Result<Expansion> roots() = 0;

    /// What `unit` asks for. Called from many threads, once for each unit.
    virtual Expansion expand(const Unit& unit) = 0;

    /// Compiles `code` units, which go into the tree in this form only, and adds whatever else the runtime
    /// puts there.
    virtual Result<std::vector<MadeFile>> make_files(const std::vector<Unit>& code, unsigned jobs,
                                                     Observer& observer) = 0;

    virtual Start start() const = 0;

    /// Further programs in the tree, each with a launcher of its own.
    virtual std::vector<InnerLauncher> inner_launchers() const { return {}; }

    /// Where the project's folder is in the app tree.
    virtual std::string application_place() const { return "app"; }
};

} // namespace omnistasis::trace
