#pragma once

#include "runtimes/python/companions.h"
#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"
#include "runtimes/python/imports.h"
#include "trace/trial.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// Asks packages by importing them once, alone.
class Trials {
  public:
    Trials(Ground& ground, Gathered& gathered, Imports& imports, Companions& companions)
        : ground_(ground), gathered_(gathered), imports_(imports), companions_(companions) {}

    /// Why packages could not be asked; empty where they could.
    const std::string& trouble() const { return trial_trouble_; }
    /// Asks for the modules that are new since the last time, once nothing else is.
    void settle_trials(const std::vector<Unit>& units, UnitNeeds& needs);

    /// Of groups of modules that units ask for as if they could do without: those that they can't, as their
    /// import fails where none of them is there.
    std::vector<trace::OffersGroups::Needed>
    needed_groups(const std::vector<trace::OffersGroups::Asks>& asks);

  private:
    // Packages are asked on this machine. What they show counts for another system where that has it, too.
    const Facts& facts_here() const { return ground_.here ? ground_.here->facts : ground_.facts; }
    ModuleFinder& finder_here() const { return ground_.here ? ground_.here->finder : ground_.finder; }
    InstalledDistributions& installed_here() const {
        return ground_.here ? ground_.here->installed : ground_.installed;
    }
    std::set<std::string> distributions_to_ask(const std::vector<Unit>& units);
    /// One for each list of modules, where top-level modules of the names `without` are not there.
    std::vector<trace::TrialQuestion> questions(std::vector<std::vector<std::string>> of_each,
                                                const std::set<std::string>& without) const;
    std::string library_there(const std::string& file, const Distribution& here,
                              const Distribution& there) const;
    void take_trial(const Unit& unit, const trace::TrialRecord& record, Expansion& out);

    Ground& ground_;
    Gathered& gathered_;
    Imports& imports_;
    Companions& companions_;
    std::map<std::string, std::set<std::string>>
        tried_;                 ///< distribution, modules that were imported on trial
    std::string trial_trouble_; ///< why packages could not be asked
};

} // namespace omnistasis::python
