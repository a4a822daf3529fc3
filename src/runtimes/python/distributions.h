#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// An installed distribution's metadata folder (PyPA core metadata; `*.dist-info` or `*.egg-info`).
struct Distribution {
    std::string name;    ///< normalized: lower case, runs of `-`, `_`, `.` as one `-`
    std::string version; ///< as the folder's name has it; empty where it has none
    std::string folder;  ///< or a single file
    bool is_file = false;
    /// entry_points.txt: group, then name, then "module:attribute".
    std::map<std::string, std::map<std::string, std::string>> entry_points;
};

/// The distributions that its metadata names as required, normalized; also those of extras.
std::set<std::string> required_distributions(const Distribution& distribution);

/// The modules and packages that it brings, as its list of files or its own table names them.
std::set<std::string> top_level_modules(const Distribution& distribution);

std::string normalized_distribution_name(std::string_view name);

/// All distributions on a search path; the first of a name wins.
std::vector<Distribution> find_distributions(const std::vector<std::string>& search_path);

} // namespace omnistasis::python
