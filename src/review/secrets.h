#pragma once

#include "support/error.h"
#include "support/files.h"

#include <cstdint>
#include <filesystem>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::review {

/// Something in a file that should perhaps not be given away.
struct Finding {
    std::string kind;       ///< a stable word: `private-key`, `password`, ..., `build-machine`, `leftover`
    std::string what;       ///< in words
    std::string file;       ///< on this machine
    std::uint32_t line = 0; ///< counted from 1; 0: the file as a whole
    std::string excerpt;    ///< the secret itself is masked
    bool is_credential = false; ///< stops a build
    bool is_own = true;         ///< in a file of the application's own
    std::string allowed;        ///< why the project allows it; empty where it does not
    auto operator<=>(const Finding&) const = default;
};

/// Searches for credentials by their shapes (data/review/secrets.toml). Safe to use from many threads.
class SecretSearch {
  public:
    static Result<SecretSearch> read(const std::filesystem::path& data);
    ~SecretSearch();
    SecretSearch(SecretSearch&&) noexcept;

    /// What is found in a file's content; `file` is its name, which tells settings from code.
    std::vector<Finding> in(std::string_view content, const std::string& file) const;

  private:
    struct Kind;
    struct Anchors;
    SecretSearch();
    std::vector<std::unique_ptr<Kind>> kinds_;
    std::unique_ptr<Anchors> anchors_;
};

/// What the names of the build machine are, that should not be given away with the application.
struct BuildMachine {
    std::string project_folder; ///< empty where every system has it, as `/usr/bin`
    std::string home;           ///< empty where it says nothing of a person, as `/root`
    std::string host;           ///< empty where it is a usual word
    static BuildMachine here(const std::filesystem::path& project_folder);
};

/// Paths and names of the build machine in a file of the application's own.
std::vector<Finding> build_machine_in(std::string_view content, const std::string& file,
                                      const BuildMachine& machine);

/// What the name of a file gives away that should not be shipped: version control, editors' leftovers,
/// settings with secrets, key stores, databases in use. `place` is relative to the project.
std::vector<Finding> leftovers_in(const std::string& file, const std::string& place);

/// A secret as it may be shown: its first letters and how long it is.
std::string masked(std::string_view secret);

} // namespace omnistasis::review
