#pragma once

#include "runtimes/python/companions.h"
#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// Programs that the application starts by their names.
class StartedPrograms {
  public:
    StartedPrograms(Ground& ground, Gathered& gathered, Companions& companions)
        : ground_(ground), gathered_(gathered), companions_(companions) {}

    /// What own code starts goes along where the application's package requires a small package that has it;
    /// else it is told, unless the project names it. What packages start is told as a minor loose end.
    void settle_programs(const UnitIds& ids, UnitNeeds& needs);

  private:
    bool carry_program(trace::UnitId id, const Scanned& scanned, const StringAt& program, UnitNeeds& needs);

    Ground& ground_;
    Gathered& gathered_;
    Companions& companions_;
    std::set<std::pair<std::string, bool>> programs_seen_; ///< that code starts, and whether own code does
};

} // namespace omnistasis::python
