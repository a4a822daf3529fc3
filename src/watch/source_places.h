#pragma once

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

namespace omnistasis::watch {

/// Where the folders of a run from source lie in the root of an emulation: each below /source, by its own
/// name.
class SourcePlaces {
  public:
    /// Folders that lie in others of them, and empty names, are left out.
    explicit SourcePlaces(const std::vector<std::filesystem::path>& folders);

    struct Shown {
        std::string folder, place;
    };
    const std::vector<Shown>& shown() const { return shown_; }

    /// The place of a file or folder of this machine; empty where it lies in none of them.
    std::string of(const std::string& file) const;

  private:
    std::vector<Shown> shown_;
};

} // namespace omnistasis::watch
