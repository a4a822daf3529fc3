#pragma once

#include "runtimes/python/ground.h"
#include "runtimes/python/imports.h"

#include <string>

namespace omnistasis::python {

/// What compiled modules ask for, as far as the strings in them tell. Safe to use from many threads.
class ExtensionNeeds {
  public:
    ExtensionNeeds(Ground& ground, Imports& imports) : ground_(ground), imports_(imports) {}

    void scan_extension(const Unit& unit, Expansion& out);

  private:
    bool requires_distribution(const Unit& unit, const std::string& module);
    void want_required(const Unit& unit, const Reason& reason, Expansion& out);
    void want_names_in(const Unit& unit, const std::string& table, const Reason& reason, Expansion& out);
    bool lore_knows_parts_of(const std::string& folder, const std::string& package) const;
    void want_named_data(const Unit& unit, const std::string& word, const Reason& reason, Expansion& out);
    void want_word(const Unit& unit, const std::string& name, bool from_python, const Reason& reason,
                   Expansion& out);

    Ground& ground_;
    Imports& imports_;
};

} // namespace omnistasis::python
