#pragma once

#include "support/json.h"

#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace omnistasis::node {

/// What a package.json says that matters to how files are found and loaded.
struct PackageJson {
    std::string file;
    std::string folder;
    std::string name;
    std::string version;
    std::string main;
    bool is_module = false; ///< "type": "module"
    Json exports;           ///< null where there are none; keys in the order of the file
    Json imports;
    std::map<std::string, std::string> programs;    ///< "bin": name to file
    std::vector<std::string> needs;                 ///< dependencies, by name
    std::vector<std::string> may_need;              ///< optional dependencies and peers
    std::vector<std::string> peers;                 ///< the packages that it is a part for, by name
    std::vector<std::string> needs_for_development; ///< "devDependencies"
    std::vector<std::string> systems, processors, c_libraries; ///< "os", "cpu", "libc"
    std::string description;
    std::string licence; ///< "license": an SPDX expression, or other words
    std::string homepage;
    std::string author; ///< the name alone
    std::string error; ///< why it can't be read as JSON; then the rest is empty
    std::uint32_t error_line = 0;
};

/// Reads one; null where there is no such file.
std::shared_ptr<const PackageJson> read_package_json(const std::string& file);

} // namespace omnistasis::node
