#pragma once

#include "support/json.h"
#include "support/store.h"
#include "trace/graph.h"

#include <string>
#include <vector>

namespace omnistasis::trace {

/// A module that was loaded during a trial.
struct TrialLoad {
    std::string name; ///< as it was asked for
    std::string file; ///< empty where it has none
    std::string by;   ///< file of the module that asked; empty where the runtime can't say
};

/// What happened when one module was loaded, alone but for those that were loaded before it.
struct TrialRecord {
    std::string module;
    std::string error; ///< empty where it could be loaded
    std::vector<TrialLoad> loaded;
    std::vector<std::string> opened;    ///< files that were read
    std::vector<std::string> libraries; ///< native files that were mapped
};

/// What a trial gave. Where it ended early (a crash, its time was over), the records up to there.
struct Trial {
    std::vector<TrialRecord> records;
    std::string ended; ///< why it ended early; empty where it did not
};

/// Modules of packages that are to be loaded on trial.
struct TrialQuestion {
    std::vector<std::string> command; ///< the runtime with the helper that loads modules and reports
    std::vector<std::string> modules;
    Json task;       ///< what the helper reads, besides the modules
    std::string key; ///< all that the answer depends on: the runtime, the contents of the packages
};

/// Loads the modules of each question in a process of its own, all at once: no network, no display, an empty
/// home, bounds on time and memory. The helper writes one JSON object a line for each module. An answer is
/// cached in the store under the question's key. The answers have the order of the questions.
std::vector<Result<Trial>> try_modules(const std::vector<TrialQuestion>& questions, Store& store);

/// What is to be told where packages could not be asked because of `trouble`; `runtime` is its program.
LooseEnd packages_not_asked(const std::string& trouble, const std::string& runtime);

} // namespace omnistasis::trace
