#pragma once

#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// What the runtime puts into the app tree: compiled modules, and how they are found.
class TreeFiles {
  public:
    TreeFiles(Ground& ground, Gathered& gathered) : ground_(ground), gathered_(gathered) {}

    /// trace::Runtime::make_files
    Result<std::vector<trace::MadeFile>> make_files(const std::vector<Unit>& code, unsigned jobs,
                                                    Observer& observer);

  private:
    bool shows_itself(const Unit& unit);
    std::string twin_of(const std::string& file) const;

    Ground& ground_;
    Gathered& gathered_;
};

} // namespace omnistasis::python
