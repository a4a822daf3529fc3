#pragma once

#include "runtimes/python/ground.h"
#include "trace/capabilities.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// What somebody wants to know before an application is given away: trace::KnowsPackages and
/// trace::ReviewsSources.
class PackageReview {
  public:
    explicit PackageReview(Ground& ground) : ground_(ground) {}

    std::vector<trace::Package> packages(const std::vector<Unit>& units);
    trace::Package own_package();
    std::vector<trace::VariableRead> variables_read(const Unit& unit);
    std::vector<trace::EarlyImport> imports_that_could_wait(const Unit& unit);

  private:
    Ground& ground_;
};

} // namespace omnistasis::python
