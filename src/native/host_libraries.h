#pragma once

#include "support/error.h"

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::native {

/// The libraries that every system of a target has and that are never shipped, with the reason for each.
class HostLibraries {
  public:
    struct Entry {
        std::string pattern; ///< a library name, with `*` for any text
        std::string reason;
    };

    /// Reads `<notes>/hosts/<target>.toml` (docs/host-libraries.md).
    static Result<HostLibraries> read(const std::filesystem::path& notes, const std::string& target);

    explicit HostLibraries(std::vector<Entry> entries) : entries_(std::move(entries)) {}

    /// The entry that says that `name` belongs to the target; null where it is shipped.
    const Entry* find(const std::string& name) const;

  private:
    std::vector<Entry> entries_;
};

} // namespace omnistasis::native
