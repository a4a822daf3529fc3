#pragma once

#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"
#include "runtimes/python/imports.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// What modules ask of the metadata of distributions: names, versions, entry points.
class MetadataNeeds {
  public:
    MetadataNeeds(Ground& ground, Gathered& gathered, Imports& imports)
        : ground_(ground), gathered_(gathered), imports_(imports) {}

    /// What a request asks for, by whatever way.
    void answer(const Unit& unit, const Request& request, Expansion& out) {
        if (request.kind != Request::Kind::entry_point) return imports_.answer(unit, request, out);
        answer_entry_point(request, imports_.reason_of(unit, request), out);
    }
    void want_metadata(const Distribution& distribution, const Reason& reason, Expansion& out);
    void apply_metadata(const Unit& unit, const ScanResult& result, Expansion& out);
    /// The entry points of a group; nothing where it is not the name of one.
    void want_group(const StringAt& group, const std::string& file, Expansion& out);
    /// What tells of entry points goes along with the modules that they are, and stays out with them: whoever
    /// loads all of a group would stop at one that is not there.
    void settle_entry_points(const std::unordered_map<std::string, trace::UnitId>& ids, UnitNeeds& needs);

  private:
    void answer_entry_point(const Request& request, const Reason& reason, Expansion& out);

    Ground& ground_;
    Gathered& gathered_;
    Imports& imports_;
    /// Modules that are entry points, to the distributions that say so; null where that was settled.
    std::multimap<std::string, std::pair<const Distribution*, Reason>> entry_modules_;
    std::map<std::string, bool> entry_folders_; ///< packages that are one, whether their files go along yet
};

} // namespace omnistasis::python
