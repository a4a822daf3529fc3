#pragma once

#include "runtimes/python/companions.h"
#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"
#include "runtimes/python/metadata_needs.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// Modules that import their parts when somebody takes them.
class TakenNames {
  public:
    TakenNames(Ground& ground, Gathered& gathered, MetadataNeeds& metadata, Companions& companions)
        : ground_(ground), gathered_(gathered), metadata_(metadata), companions_(companions) {}

    /// Makes the requests whose names are taken by now.
    void settle_taken_names(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs);

  private:
    void note_late_requests(std::size_t scanned);
    bool is_taken(const std::string& module, std::uint32_t name);

    Ground& ground_;
    Gathered& gathered_;
    MetadataNeeds& metadata_;
    Companions& companions_;
    /// A request that a module's __getattr__ makes once somebody takes one of `names` from it.
    struct LateRequest {
        std::string module;
        Request request;
        std::vector<std::uint32_t> names; ///< hashes
    };
    std::vector<LateRequest> late_requests_; ///< those that were not made yet
    std::size_t searched_for_late_ = 0;      ///< how many of the scanned modules
};

} // namespace omnistasis::python
