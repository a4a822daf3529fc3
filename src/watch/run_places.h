#pragma once

#include "support/error.h"

#include <cstdint>
#include <filesystem>
#include <map>
#include <string>

namespace omnistasis::watch {

/// The folders of one run: its home, working folder and temporary files.
struct RunPlaces {
    std::filesystem::path home, work, temporary;

    /// Makes them in a folder.
    static Result<RunPlaces> make(const std::filesystem::path& folder);
};

/// The files below a folder: relative paths and sizes in bytes.
std::map<std::string, std::uint64_t> files_below(const std::filesystem::path& folder);

} // namespace omnistasis::watch
