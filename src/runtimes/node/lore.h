#pragma once

#include "support/error.h"

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace omnistasis::node {

/// What is known of one package that no source says (docs/package-notes.md).
struct Note {
    std::string why;
    std::vector<std::string> include; ///< specifiers that it loads unseen, as it would say them
    std::vector<std::string> data;    ///< patterns of files in its folder
    std::vector<std::string>
        loads; ///< patterns of packages that it loads by computed names, from the project
};

using Notes = std::multimap<std::string, Note>; ///< by package

/// Reads all files in a folder; nothing where there is none.
Result<Notes> read_notes(const std::filesystem::path& folder);
Result<void> read_note_file(const std::filesystem::path& file, Notes& into);

} // namespace omnistasis::node
