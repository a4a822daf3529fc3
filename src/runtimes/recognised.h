#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis {

/// A runtime that lies somewhere in a folder.
struct Recognised {
    std::string program; ///< relative to the folder
    std::string version;
    std::string target;
    std::vector<std::string> other_targets{}; ///< that it is for as well, as files for several processors are
    std::string folder{};  ///< that holds all of it, relative; empty where that is the whole folder
    std::string problem{}; ///< why nothing can be built with it; empty where something can
    std::string advice{};  ///< what to do about that; empty: what is usual
    /// A zip file with a part of it, to be unpacked into a folder; empty: all is there.
    std::string packed{}, unpacked{};
    std::vector<std::string> remarks{}; ///< what it lacks, and what that means
};

/// What a language finds of its own in a folder: each program that is its interpreter or virtual machine.
using Recognise = std::vector<Recognised> (*)(const std::filesystem::path& folder);

} // namespace omnistasis
