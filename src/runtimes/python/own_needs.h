#pragma once

#include "runtimes/python/companions.h"
#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"
#include "runtimes/python/imports.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// The application's own files, and what it declares.
class OwnNeeds {
  public:
    OwnNeeds(Ground& ground, Gathered& gathered, Imports& imports, Companions& companions)
        : ground_(ground), gathered_(gathered), imports_(imports), companions_(companions) {}

    /// What goes along because it is the application's own. What its imports reach comes first: the rest are
    /// companions.
    void settle_own(const UnitIds& ids, UnitNeeds& needs);
    /// The modules of the standard library that programs of users may import.
    void want_whole_library(const std::string& file, std::uint32_t line, UnitNeeds& needs,
                            trace::UnitId from);
    /// A path in own code that leads to something of the application itself, as it lies on this machine.
    bool want_own_path(const Unit& unit, const std::string& path, std::uint32_t line, Expansion& out);

  private:
    void want_declared(Expansion& out);
    std::string place_of_own_path(const std::string& path) const;
    void want_own_file(const std::string& file, const std::string& name, const std::string& place,
                       const Reason& reason, Expansion& out);
    void want_installed_files(Expansion& out);
    void want_own_files(Expansion& out);

    Ground& ground_;
    Gathered& gathered_;
    Imports& imports_;
    Companions& companions_;
    bool whole_library_ = false; ///< the standard library goes along whole
    bool own_settled_ = false;   ///< the application's own files were looked for
};

} // namespace omnistasis::python
