#pragma once

#include "runtimes/python/distributions.h"
#include "support/system_packages.h"

#include <map>
#include <memory>
#include <mutex>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::python {

/// What is installed where the application's modules come from, read when it is asked for. All of it may be
/// asked from several threads.
class InstalledDistributions {
  public:
    /// `variables` are those of requirements' conditions.
    InstalledDistributions(std::vector<std::string> search_path, MarkerVariables variables)
        : search_path_(std::move(search_path)), variables_(std::move(variables)) {}

    const std::vector<Distribution>& all();
    const MarkerVariables& variables() const { return variables_; }

    /// Null where there is none of that name, or none that brought the file.
    const Distribution* named(const std::string& name);
    const Distribution* owner_of(const std::string& file);
    /// The first one that brings a command of that name (PyPA entry points specification).
    const Distribution* with_command(const std::string& command);

    /// The installed ones that a distribution requires: by its metadata, with `extras`, and by the system's
    /// package that brought it. `all_extras`: whatever their conditions say.
    std::vector<const Distribution*> required_by(const Distribution& distribution,
                                                 const std::set<std::string>& extras,
                                                 bool all_extras = false);

    /// Whether the metadata of one, or the system's package that brought it, names the other.
    bool are_related(const Distribution& one, const Distribution& other);

    /// Whether it has more than goes along whole.
    bool is_large(const Distribution& distribution);

  private:
    const RelatedEntries& related_in_system(const Distribution& distribution);

    std::vector<std::string> search_path_;
    MarkerVariables variables_;
    std::once_flag read_, owners_read_, related_read_;
    std::vector<Distribution> all_;
    std::unique_ptr<FileOwners> owners_;
    std::map<std::string, RelatedEntries> related_in_system_; ///< by folder of the metadata
    std::mutex mutex_;
    std::map<std::string, std::set<std::string>> related_; ///< distribution, what it may have to do with
    std::map<std::string, bool> is_large_;
};

/// The dotted name that a file below a search path entry has as a module; empty where it is none.
std::string module_name_of(std::string_view inner);

/// Whether a file or a module is a test, a header or the like, which does not go along with a distribution.
bool is_passed_file(std::string_view inner);
bool is_passed_module(std::string_view name);

} // namespace omnistasis::python
