// An application bundle for macOS as a folder that can be looked at, whether it is one or was packed as one
// file.
#pragma once

#include "support/files.h"

#include <optional>

namespace omnistasis::dress {

/// Whether a file is a bundle that was packed for handing over: NAME.app.zip.
bool is_packed_bundle(const fs::path& file);

/// Whether it is a bundle: such a file, or a folder NAME.app with its contents.
bool is_bundle(const fs::path& output);

/// A packed bundle is unpacked for the time that this lives.
class OpenedBundle {
  public:
    /// An error where `bundle` can't be unpacked, or holds no folder of its name.
    static Result<OpenedBundle> open(const fs::path& bundle);

    const fs::path& folder() const { return folder_; }

    /// Has an error name a file as it is called in the bundle, and not where it was unpacked.
    void name_files_of(Error& error) const;

  private:
    std::optional<StagingFolder> unpacked_;
    fs::path folder_;
};

} // namespace omnistasis::dress
