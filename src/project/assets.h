#pragma once

#include "project/project.h"

#include <vector>

namespace omnistasis {

/// A file that an asset pattern names, and where it goes below the project's place in the app tree.
struct AssetFile {
    std::filesystem::path file;
    std::string place;    ///< relative to the place of the project's folder
    bool in_tree = false; ///< relative to the app tree: it was given an absolute place
};

/// The place in the app tree that stands for an absolute path: what is below /usr lies as there, other things
/// in `share`.
std::string place_of_absolute(const std::string& path);

/// The folder of the app tree that carried programs lie in. What the application starts looks on the user's
/// PATH first, and then there.
inline constexpr const char* programs_place = "programs";

/// The files of the programs that the project names. A name that is not on PATH is an error.
Result<std::vector<AssetFile>> find_programs(const Project& project);

/// Resolves the project's assets. A pattern that matches nothing is an error. Links that lead out of the
/// project are followed; a place that would leave the app tree is an error.
Result<std::vector<AssetFile>> find_assets(const Project& project);

/// The initial content of the project's state paths: their files, with their places relative to the project's
/// folder. A path where there is nothing yet has no content.
Result<std::vector<AssetFile>> find_initial_state(const Project& project);

/// Why a path can't be a place in the app tree: it is longer than the launchers take, or no system has such a
/// name. Empty where it can.
std::string why_no_place(const std::string& path);

} // namespace omnistasis
