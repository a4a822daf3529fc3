#pragma once

#include "native/host_libraries.h"
#include "project/project.h"
#include "trace/runtime.h"
#include "watch/kinds.h"

#include <cstdint>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace omnistasis::watch {

/// What is proved: an output, and what is known of where it comes from.
struct ProofSubject {
    std::filesystem::path output; ///< the executable, or the folder that holds it
    std::string program;          ///< the executable's name
    std::string target;           ///< what it is for
    std::filesystem::path data;   ///< Omnistasis's own
    const native::HostLibraries* host = nullptr;
    /// Null where the project is not at hand: then only absolute paths can be looked for on this machine, and
    /// there is no source to compare with.
    const Project* project = nullptr;
    trace::Runtime* runtime = nullptr;
    const trace::Graph* graph = nullptr;
};

/// One run of it.
struct ProofRun {
    std::string name = "run";
    std::vector<std::string> arguments;
    std::string input;                            ///< standard input
    std::map<std::string, std::string> variables; ///< as LANG, TZ
    std::string clock; ///< a point in time that the run is told (faketime); empty: the present
    bool network = false;
    bool display = false;          ///< it gets a virtual display and is ended once its window has settled
    std::filesystem::path picture; ///< display: where the picture goes
    bool against_source = false;   ///< not where it has a display
    double seconds = 60;
    std::optional<int>
        exit_code; ///< what is expected; 0 where nothing is said and the source is not compared
    std::optional<std::string> output;        ///< expected on standard output
    std::map<std::string, std::string> files; ///< expected in the working folder, with their content
    std::vector<std::string> allowed;         ///< patterns of findings' names that are all right
};

/// One thing that the proof has to say.
struct ProofFinding {
    FindingKind kind = FindingKind::missing_file;
    std::string what;
    std::string found; ///< where this machine has it; empty where that is not the point
    std::string from;  ///< file:line of the code that asked; empty where that is not known
    std::string advice;
    bool fails = true; ///< the proof fails for it
};

/// The record of one run in isolation.
struct Proof {
    std::string name;
    std::vector<std::string> arguments;
    int exit_code = 0;
    double seconds = 0;
    std::string out, err;
    std::string by;     ///< what stood in for the system that the output is for; empty: nothing
    std::string limits; ///< what that does not show
    std::string blind;  ///< why nothing was watched; empty where it was
    std::vector<ProofFinding> findings;
    std::vector<std::string> host_libraries; ///< loaded from the host
    std::vector<std::string> system_files;   ///< looked for, which every system has its own of
    std::vector<std::string> programs;       ///< started, outside of the output
    std::vector<std::pair<std::string, std::uint64_t>>
        untouched; ///< shipped files that were not touched, largest first
    std::uint64_t tree_size = 0;
    std::size_t tree_files = 0;
    std::string window;    ///< display: what the picture shows
    bool compared = false; ///< with the source

    bool holds() const;
};

/// Runs an output in isolation and says what it looked for. Fails only where that is not possible here.
Result<Proof> prove(const ProofSubject& subject, const ProofRun& run);

} // namespace omnistasis::watch
