#pragma once

#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"
#include "runtimes/python/imports.h"

#include <map>
#include <string>

namespace omnistasis::python {

/// What modules need by package lore. Safe to use from many threads.
class LoreNeeds {
  public:
    LoreNeeds(Ground& ground, Gathered& gathered, Imports& imports)
        : ground_(ground), gathered_(gathered), imports_(imports) {}

    void apply_lore(const Unit& unit, Expansion& out);

  private:
    bool goes_with_system(const Unit& unit);

    Ground& ground_;
    Gathered& gathered_;
    Imports& imports_;
    std::map<std::string, bool> brings_libraries_; ///< distributions, whether they bring native libraries
};

} // namespace omnistasis::python
