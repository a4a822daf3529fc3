#pragma once

#include "support/files.h"

#include <string>

namespace omnistasis::build {

/// The folder that outputs are put into. It carries a marker that lists what Omnistasis made in it; what is
/// not on the list is somebody else's and stays.
class OutputPlace {
  public:
    /// Makes the folder where it is missing. An error where `name` in it is taken by something foreign.
    static Result<OutputPlace> prepare(const fs::path& folder, const std::string& name);

    /// Whether outputs were put into a folder: it carries the marker.
    static bool holds_outputs(const fs::path& folder);

    const fs::path& folder() const { return folder_; }
    fs::path output() const { return folder_ / name_; }

    /// Puts `made`, a file or folder on the same file system, in the output's place, and notes it as ours.
    Result<void> put(const fs::path& made) const;

  private:
    OutputPlace(fs::path folder, std::string name) : folder_(std::move(folder)), name_(std::move(name)) {}
    fs::path folder_;
    std::string name_;
};

} // namespace omnistasis::build
