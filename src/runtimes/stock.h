#pragma once

#include "support/error.h"

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <system_error>
#include <vector>

namespace omnistasis {

/// A runtime for one target, as its own files say what it is.
struct StockedRuntime {
    std::string language; ///< as in the table of languages
    std::string version;
    std::string target;
    std::vector<std::string> other_targets{}; ///< of the same files, each listed by itself too
    std::string id;                           ///< a short name for it: language, version, target and content
    std::filesystem::path folder;             ///< where its files are
    std::uint64_t size = 0;                   ///< of its files, in bytes
    std::size_t files = 0;
    std::vector<std::string> remarks; ///< what it lacks, told when it is added
};

/// The runtimes that a user has added, for targets other than this machine: in the user's data folder, each
/// in a folder that is named by its content. Nothing in it is ever changed.
class RuntimeStock {
  public:
    /// `$XDG_DATA_HOME/omnistasis/runtimes`, else below `~/.local/share`; `OMNISTASIS_RUNTIMES` names
    /// another.
    static RuntimeStock of_user();

    explicit RuntimeStock(std::filesystem::path folder) : folder_(std::move(folder)) {}

    std::vector<StockedRuntime> list() const;

    /// Takes a folder, or an archive of one (tar in any compression, zip): what is in it must be one runtime.
    Result<StockedRuntime> add(const std::filesystem::path& source) const;

    /// The one with that id, or the only one that the beginning of an id names.
    Result<StockedRuntime> find(const std::string& id) const;
    Result<StockedRuntime> remove(const std::string& id) const;

    /// The newest one of a language for a target; `version` is the beginning of the one that is wanted, or
    /// empty.
    std::optional<StockedRuntime> newest(const std::string& language, const std::string& target,
                                         const std::string& version = {}) const;

    const std::filesystem::path& folder() const { return folder_; }

  private:
    std::filesystem::path folder_;
};

/// Takes a folder out of its place at once, and then removes what was in it. What fails is told: where the
/// folder is gone all the same, files of it are left beside, under a hidden name.
std::error_code take_out(const std::filesystem::path& folder);

} // namespace omnistasis
