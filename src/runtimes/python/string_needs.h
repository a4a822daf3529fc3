#pragma once

#include "runtimes/python/companions.h"
#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"
#include "runtimes/python/imports.h"
#include "runtimes/python/metadata_needs.h"
#include "runtimes/python/own_needs.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// What strings of modules mean once all modules are known: names of others, paths to files beside them.
class StringNeeds {
  public:
    StringNeeds(Ground& ground, Gathered& gathered, Imports& imports, MetadataNeeds& metadata,
                Companions& companions, OwnNeeds& own)
        : ground_(ground), gathered_(gathered), imports_(imports), metadata_(metadata),
          companions_(companions), own_(own) {}

    /// What the strings of all modules ask for that were scanned since the last time; and those of earlier
    /// ones again, where more became known of how names in strings are used.
    void settle(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs);
    /// "pkg.mod", "pkg.mod.Class" or "pkg.mod:function", where the module exists.
    void want_dotted_string(const Scanned& scanned, const StringAt& string, Expansion& out);
    /// What wants Python files where their modules would be: the tree looks as the source did.
    void settle_sources(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs);

  private:
    void want_by_watched_names(const Scanned& scanned, const UnitIds& ids, Expansion& out);
    void want_by_strings(const Scanned& scanned, Expansion& out);
    bool learn_of_names(const UnitIds& ids);
    void want_data_of_named(const Scanned& scanned, const StringAt& string, Expansion& out);
    void want_surroundings(const Scanned& scanned, Expansion& out);
    void want_paths(const Scanned& scanned, Expansion& out);
    void want_resources(const Scanned& scanned, const StringAt& package, Expansion& out);

    Ground& ground_;
    Gathered& gathered_;
    Imports& imports_;
    MetadataNeeds& metadata_;
    Companions& companions_;
    OwnNeeds& own_;
    std::set<std::string> import_suffixes_;  ///< what import calls put behind names that they compute
    std::set<std::string> folders_read_;     ///< what is read in packages that strings name
    bool groups_are_computed_ = false;       ///< entry points of groups with computed names are asked for
    std::set<std::string> by_name_packages_; ///< top-level packages known to import by name
};

} // namespace omnistasis::python
