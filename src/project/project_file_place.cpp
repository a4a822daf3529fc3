#include "project/project_file_place.h"

#include "support/trusted_owner.h"

#include <algorithm>
#include <array>
#include <optional>
#include <sys/stat.h>

namespace omnistasis {

namespace {

constexpr int most_up = 8;
/// What stands in the topmost folder of a project under version control.
constexpr std::array<const char*, 6> version_control{".git", ".hg", ".svn", ".bzr", ".jj", "_darcs"};

std::optional<uid_t> owner_of(const fs::path& path) {
    struct stat status {};
    return ::stat(path.c_str(), &status) == 0 ? std::optional(status.st_uid) : std::nullopt;
}

} // namespace

Result<fs::path> find_project_file(const fs::path& start, bool looks_above) {
    std::error_code ignored;
    std::optional<uid_t> owner = owner_of(start);
    fs::path folder = start;
    for (int up = 0; up < (looks_above ? most_up : 1) && folder.has_relative_path();
         ++up, folder = folder.parent_path()) {
        if (owner_of(folder) != owner) break;
        if (fs::path file = folder / project_file_name; is_there(file)) {
            if (auto right = check_owner(file, "the project file"); !right) return pass_on(right);
            return file;
        }
        bool is_topmost =
            std::ranges::any_of(version_control, [&](const char* name) { return is_there(folder / name); });
        if (is_topmost) break;
    }
    return fs::path();
}

} // namespace omnistasis
