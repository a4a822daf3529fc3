#pragma once

#include "watch/emulation.h"
#include "watch/proof.h"
#include "watch/run_places.h"

#include <map>
#include <string>
#include <vector>

namespace omnistasis::watch {

/// A run of an output that its source is compared with.
struct BuiltRun {
    const ProofSubject& subject;
    const ProofRun& run;
    const Proof& proof;
    const RunPlaces& places;
    std::string tree;                                  ///< the app tree in the root of the run
    std::filesystem::path tree_here;                   ///< the same on this machine
    const std::map<std::string, std::string>& folders; ///< places in the tree to folders of this machine
    bool timed_out = false;
    Emulation* emulation = nullptr; ///< null where the output is for this machine
};

/// Runs the application from source in folders of its own, on the system that the output is for or what
/// stands in for it, and says where the two runs differ: how they ended, what they printed, and which files
/// they wrote. The state in the project's folder stays as it was.
Result<std::vector<ProofFinding>> compare_with_source(const BuiltRun& built,
                                                      const std::filesystem::path& scratch);

} // namespace omnistasis::watch
