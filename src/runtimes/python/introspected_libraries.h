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

/// Libraries that Python reaches through descriptions (GObject introspection).
class IntrospectedLibraries {
  public:
    IntrospectedLibraries(Ground& ground, Gathered& gathered, Imports& imports, Companions& companions)
        : ground_(ground), gathered_(gathered), imports_(imports), companions_(companions) {}

    /// A module may import a library whose version another one asks for: so they are answered when all
    /// modules that are reached are known. What only goes along with a package brings none in.
    void settle_typelibs(const UnitIds& ids, UnitNeeds& needs);

  private:
    bool want_typelib(const std::string& name, const std::vector<std::string>& files, const Reason& reason,
                      Expansion& out);

    Ground& ground_;
    Gathered& gathered_;
    Imports& imports_;
    Companions& companions_;
    std::set<std::string> settled_; ///< modules whose requests are answered
};

} // namespace omnistasis::python
