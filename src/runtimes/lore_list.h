#pragma once

#include "support/error.h"

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis {

/// One entry of package lore (docs/package-lore.md), as people are shown it.
struct LoreSummary {
    std::string about;     ///< the module or package
    std::string condition; ///< versions that it holds for; empty: all
    std::string why;
};

/// The lore that comes along, of all languages.
Result<std::vector<LoreSummary>> known_lore(const std::filesystem::path& data);

/// The lore in a file, which may be of any language. An error names line, column and what is expected.
Result<std::vector<LoreSummary>> lore_in_file(const std::filesystem::path& file);

} // namespace omnistasis
