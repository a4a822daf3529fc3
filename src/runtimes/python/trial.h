#pragma once

#include "runtimes/python/facts.h"
#include "support/store.h"

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

namespace omnistasis::python {

/// What happened when one module was imported, alone but for those that were imported before it.
struct TrialRecord {
    std::string module;
    std::string error;                                       ///< empty where it could be imported
    std::vector<std::pair<std::string, std::string>> loaded; ///< modules and their files; some have none
    std::vector<std::string> opened;                         ///< files that were read below the search path
    std::vector<std::string> libraries;                      ///< native files that were mapped
};

/// What a trial gave. Where it ended early (a crash, its time was over), the records up to there.
struct Trial {
    std::vector<TrialRecord> records;
    std::string ended; ///< why it ended early; empty where it did not
};

/// Imports modules of one distribution in a process of its own: no network, no display, an empty home, bounds
/// on time and memory. The application's own code is not on the search path. `key` says what the answer
/// depends on besides the interpreter: the contents of the distributions; it is kept in the store under that.
Result<Trial> try_imports(const Facts& facts, const std::vector<std::string>& search_path,
                          const std::vector<std::string>& modules, const std::string& key,
                          const std::filesystem::path& helpers, Store& store);

} // namespace omnistasis::python
