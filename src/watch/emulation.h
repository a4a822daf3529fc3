#pragma once

// Outputs for another system, run on this machine by a program that stands in for that system. What such a
// run shows is less than what the system itself would: whoever is told of it is told by what.

#include "support/error.h"
#include "trace/capabilities.h"
#include "watch/call_log.h"
#include "watch/isolation.h"

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

namespace omnistasis::watch {

/// What an emulation is made for.
struct Emulated {
    std::filesystem::path output; ///< the executable, or the folder that holds it
    std::string program;          ///< the executable's name
    const native::HostLibraries* host = nullptr;
    trace::BringsLibraries* libraries = nullptr; ///< may be null
    std::filesystem::path scratch;
    std::filesystem::path data; ///< Omnistasis's own
};

/// One run by such a program. Paths are told as if the run were one in a root of this system (isolation.h):
/// home, working folder, /tmp, and the output below /opt.
class Emulation {
  public:
    virtual ~Emulation() = default;

    /// The program and its version: "Wine 8.0".
    virtual std::string name() const = 0;
    /// What can't be seen by it, as one phrase; empty where that is nothing.
    virtual std::string limits() const { return {}; }

    /// Does what has to be done before, and gives the command that runs the output.
    virtual Result<std::vector<std::string>> command(const std::vector<std::string>& arguments,
                                                     IsolationOptions& options) = 0;
    /// The command that runs the application from source with that system's own runtime, whose command and
    /// variables have places of the root; what they need is shown or lent by the options.
    virtual Result<std::vector<std::string>> source_command(const trace::SourceRun& run,
                                                            IsolationOptions& options) = 0;
    /// How programs there name a path of the root.
    virtual std::string spoken(const std::string& path) const { return path; }
    /// What stands between the paths of a list there.
    virtual char between_paths() const { return ':'; }
    /// What is executed when the run begins; see read_call_log.
    virtual std::string first_program() const = 0;
    /// What was seen, with paths as above.
    virtual Calls translated(Calls calls) const { return calls; }
    /// Takes what the emulation itself says out of standard error: names of libraries that are not there, and
    /// of functions ("ucrtbase.dll.crealf") that it does not have.
    virtual std::vector<std::string> lacking(std::string&) const { return {}; }
    /// Where the app tree was in the root, once the run is over; empty where that is not known.
    virtual std::string tree(const IsolationOptions& options) const = 0;
};

/// The one for an output's target; an error where this machine has none.
Result<std::unique_ptr<Emulation>> emulation_for(const std::string& target, Emulated what);

/// The tree that a launcher has unpacked below a folder of trees: the newest one. Empty where there is none.
std::string unpacked_tree(const std::filesystem::path& trees);

std::unique_ptr<Emulation> wine_emulation(Emulated what);
std::unique_ptr<Emulation> processor_emulation(const std::string& target, Emulated what);

} // namespace omnistasis::watch
