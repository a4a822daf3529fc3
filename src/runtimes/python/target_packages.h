#pragma once

#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"
#include "runtimes/python/package_lock.h"
#include "support/observer.h"
#include "trace/capabilities.h"

#include <filesystem>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// The packages of another system that an application needs: of those that are installed on this machine the
/// same versions, and what only that system needs.
class TargetPackages {
  public:
    TargetPackages(Ground& ground, Gathered& gathered) : ground_(ground), gathered_(gathered) {}

    /// What a trace missed, once it is done; sorted by name. Nothing for this machine itself.
    const std::vector<trace::NeededPackage>& missing();
    /// More is known to be needed.
    void look_again() { missing_.reset(); }

    /// Brings them with pip, notes them in the project's lock, and says what was run and brought. `from` is a
    /// folder of wheels that is looked into instead of the registry; empty: none.
    Result<trace::FetchedPackages> fetch(const std::vector<trace::NeededPackage>& needed,
                                         const std::filesystem::path& from, Observer& observer);

    /// Where the lock's versions are not those of this machine.
    std::vector<trace::LooseEnd> differences();

  private:
    using Extras = std::set<std::string>;

    bool may_need(const Distribution& one, const Distribution& other, bool is_optional);
    void add_absent(std::map<std::string, trace::NeededPackage>& missing);
    void add_required(std::map<std::string, trace::NeededPackage>& missing);
    trace::NeededPackage needed(const std::string& name, const std::string& versions, const std::string& file,
                                std::uint32_t line);

    std::vector<trace::NeededPackage> all_missing();

    Ground& ground_;
    Gathered& gathered_;
    std::optional<std::vector<trace::NeededPackage>> missing_;
};

} // namespace omnistasis::python
