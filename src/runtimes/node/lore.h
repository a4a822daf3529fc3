#pragma once

#include "support/error.h"

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace omnistasis::node {

/// What is known of one package that no source says (docs/package-lore.md).
struct LoreEntry {
    std::string why;
    std::vector<std::string> include; ///< specifiers that it loads unseen, as it would say them
    std::vector<std::string> data;    ///< patterns of files in its folder
    std::vector<std::string>
        loads; ///< patterns of packages that it loads by computed names, from the project
};

using Lore = std::multimap<std::string, LoreEntry>; ///< by package

/// Reads all files in a folder; nothing where there is none.
Result<Lore> read_lore(const std::filesystem::path& folder);
Result<void> read_lore_file(const std::filesystem::path& file, Lore& into);

} // namespace omnistasis::node
