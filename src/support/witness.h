#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis {

/// Notes what a piece of work looks at on disk: files that it reads, folders that it lists, names that it
/// looks for and does not find. Later that tells, by one look at each, whether the work would come out the
/// same. The functions of support/files.h report to it by themselves. There is one witness at a time in a
/// process; what the user's cache folder holds is not noted.
class Witness {
  public:
    Witness();
    ~Witness();
    Witness(const Witness&) = delete;
    Witness& operator=(const Witness&) = delete;

    /// Notes that the work depends on what is at `path`, or on nothing being there. Safe on many threads.
    static void saw(const std::filesystem::path& path);

    /// Notes that the work depends on something else, which can't be looked at again: there is no testimony.
    static void saw_what_cannot_be_checked();

    /// What is below a folder does not count: the work writes there, or does so another time. For several
    /// folders it is called again.
    void pass_over(const std::filesystem::path& folder) { passed_over_.push_back(folder.string() + "/"); }

    /// What was seen, to be kept; nothing where something changed while the work was done, or so shortly
    /// before that a further change might not show.
    std::optional<std::string> testimony() const;

    /// The paths of a testimony at which something is different now; nothing where it is damaged.
    static std::optional<std::vector<std::string>> changes_since(std::string_view testimony);

    /// Takes over what a testimony saw: work that relies on it depends on all of that too.
    static void saw_all_of(std::string_view testimony);

  private:
    std::vector<std::string> passed_over_;
};

} // namespace omnistasis
