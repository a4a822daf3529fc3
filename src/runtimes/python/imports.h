#pragma once

#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// Which module an import statement or call means, whether it comes to be made, and what is taken or told
/// where that can't be said. Safe to use from many threads.
class Imports {
  public:
    Imports(Ground& ground, Gathered& gathered) : ground_(ground), gathered_(gathered) {}

    /// Whether a request never comes to be made: lore says so, or it stands in for modules of the standard
    /// library that are there.
    bool has_no_occasion(const Request& request, const std::string& from, const ScanResult& scan);
    /// What a request asks for, if not for an entry point: those are metadata's.
    void answer(const Unit& unit, const Request& request, Expansion& out);
    /// Why a unit needs what a request asks for, and whether it can do without.
    Reason reason_of(const Unit& unit, const Request& request);
    /// What rehearsals saw at the same line weighs less: the rest of it may well be nothing.
    void note_computed_import(const std::string& file, std::uint32_t line, const std::string& what,
                              Expansion& out);
    /// Wants a module with all the packages that it is in.
    void want(const std::string& name, const Reason& reason, Expansion& out);
    /// A pattern of the project: a name, or `name.*` for all that is in a package, at any depth.
    void want_pattern(const std::string& pattern, const Reason& reason, Expansion& out);
    std::string advice_for(const std::string& missing, const std::string& unfit) const;

  private:
    bool may_lack(const FoundModule& module, const std::string& name);
    std::string bundled_module(const std::string& module, const std::string& from);
    bool covered_by_include(const std::string& prefix) const;
    void answer_family(const Unit& unit, const Request& request, const Reason& reason, Expansion& out);

    Ground& ground_;
    Gathered& gathered_;
};

} // namespace omnistasis::python
