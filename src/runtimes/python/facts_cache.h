#pragma once

#include "support/files.h"

#include <string>
#include <vector>

namespace omnistasis::python {

/// Keeps what an interpreter answered, so that it is asked again only when something changed that the answer
/// depends on: the interpreter, the environment, the entry point, the folders of the search path and their
/// path files. One small file for each interpreter and entry point in the user's cache folder; without such a
/// folder nothing is kept.
class FactsCache {
  public:
    /// `subject` is all text that the question is made of.
    explicit FactsCache(const std::string& subject);

    /// The answer, if it is there and nothing that it depends on has changed; else empty.
    std::string find() const;

    /// Keeps an answer that depends on the folders in `search_path` and on `files`.
    void keep(const std::string& answer, const std::vector<std::string>& search_path,
              const std::vector<std::string>& files) const;

  private:
    fs::path file_; ///< empty where nothing can be kept
};

} // namespace omnistasis::python
