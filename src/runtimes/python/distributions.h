#pragma once

#include "runtimes/python/requirement.h"

#include <cstdint>
#include <map>
#include <set>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

namespace omnistasis::python {

/// An installed distribution's metadata folder (PyPA core metadata; `*.dist-info` or `*.egg-info`).
struct Distribution {
    std::string name;    ///< normalized: lower case, runs of `-`, `_`, `.` as one `-`
    std::string version; ///< as the folder's name has it; empty where it has none
    std::string folder;  ///< or a single file
    std::string root;    ///< the folder of the search path that it is installed in
    bool is_file = false;
    bool is_requested = false; ///< somebody asked for it by name: it is not there for another's sake alone
    /// entry_points.txt: group, then name, then "module:attribute".
    std::map<std::string, std::map<std::string, std::string>> entry_points;
};

/// The distributions that its metadata names as required, normalized; also those of extras.
std::set<std::string> required_distributions(const Distribution& distribution);

/// The same with their conditions.
std::vector<Requirement> requirements_of(const Distribution& distribution);

/// The modules and packages that it brings, as its list of files or its own table names them.
std::set<std::string> top_level_modules(const Distribution& distribution);

/// One file that a distribution brings.
struct DistributionFile {
    std::string path;       ///< absolute
    std::uint64_t size = 0; ///< bytes
};

/// The files that its list names (RECORD or installed-files.txt), sorted; of one without a list, all files
/// below its top-level modules. Bytecode and its own metadata are left out.
std::vector<DistributionFile> files_of(const Distribution& distribution);

/// A line of a RECORD (PyPA, "Recording installed projects"): CSV.
struct RecordLine {
    std::string path;
    std::string hash; ///< "sha256=...", empty where there is none
    std::uint64_t size = 0;
};
std::vector<RecordLine> record_lines(std::string_view record);

std::string normalized_distribution_name(std::string_view name);

/// All distributions on a search path; the first of a name wins.
std::vector<Distribution> find_distributions(const std::vector<std::string>& search_path);

/// Which distribution brought a file.
class FileOwners {
  public:
    /// The distributions must outlive this.
    explicit FileOwners(const std::vector<Distribution>& distributions);

    /// Null where none did.
    const Distribution* owner_of(const std::string& file) const;

  private:
    std::unordered_map<std::string, const Distribution*> by_file_;
    /// Of distributions without a list: search path entry and name of a top-level module.
    std::unordered_map<std::string, const Distribution*> by_top_;
};

} // namespace omnistasis::python
