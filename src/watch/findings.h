#pragma once

#include "native/host_libraries.h"
#include "project/project.h"
#include "trace/capabilities.h"
#include "watch/kinds.h"
#include "watch/rehearsal.h"

#include <string>
#include <vector>

namespace omnistasis::watch {

/// One thing that a rehearsal saw and the trace did not have.
struct Finding {
    SeenKind kind = SeenKind::file;
    std::string name;
    std::string from; ///< file:line of the code that asked for it; empty where that is not known
    std::string why;  ///< why the trace could not know it
};

struct Findings {
    std::vector<Finding> rows; ///< in the order of kind and name
    Rehearsed facts;           ///< what of it becomes facts of the project
};

/// Compares what a rehearsal saw with what the trace found. Host libraries, files of the build's own output
/// and what every system has are no findings.
Findings findings_of(const Project& project, trace::Runtime& runtime, const trace::Graph& graph,
                     const native::HostLibraries& host, const std::vector<trace::SeenModule>& modules,
                     const SeenFiles& files);

} // namespace omnistasis::watch
