#include "runtimes/python/package_cleaning.h"

#include "runtimes/python/package_stock.h"
#include "runtimes/stock.h"
#include "support/files.h"
#include "support/text.h"

#include <algorithm>
#include <set>
#include <sys/stat.h>

namespace omnistasis::python {

namespace {

constexpr const char* marks = "used"; ///< one file for each environment: its last use is when it was written

std::chrono::system_clock::time_point changed_at(const fs::path& file) {
    struct stat status {};
    if (::stat(file.c_str(), &status) != 0) return {};
    return std::chrono::system_clock::from_time_t(status.st_mtime);
}

/// Files that are seen for the first time count: environments are made of links to unpacked packages.
class Sizes {
  public:
    std::uint64_t of(const fs::path& folder) {
        std::uint64_t sum = 0;
        each_entry_below(folder, [&](const fs::directory_entry& entry) {
            struct stat status {};
            if (::lstat(entry.path().c_str(), &status) == 0 && S_ISREG(status.st_mode) &&
                seen_.emplace(status.st_dev, status.st_ino).second)
                sum += static_cast<std::uint64_t>(status.st_size);
        });
        return sum;
    }

  private:
    std::set<std::pair<dev_t, ino_t>> seen_;
};

} // namespace

void note_use(const fs::path& stock, const std::string& environment,
              const std::vector<LockedPackage>& packages) {
    fs::path mark = stock / marks / environment;
    if (std::chrono::system_clock::now() - changed_at(mark) < std::chrono::days(1)) return;
    std::error_code failed;
    fs::create_directories(mark.parent_path(), failed);
    std::string text;
    for (const LockedPackage& one : packages) text += one.sha256 + "\n";
    if (!write_atomically(mark, text)) return; // a store that only others may change
}

Result<PackageUse> look_through_packages(const fs::path& stock, std::chrono::days idle, bool removes) {
    auto since = std::chrono::system_clock::now() - idle;
    // An environment without a mark is as old as its folder.
    std::set<std::string> in_use;
    std::vector<fs::path> old_environments, old_packages;
    for (const FolderEntry& entry : list_folder(stock / "environments")) {
        if (entry.name.starts_with('.')) continue; // one that is being made
        fs::path mark = stock / marks / entry.name, folder = stock / "environments" / entry.name;
        if (std::max(changed_at(mark), changed_at(folder)) < since) {
            old_environments.push_back(folder);
        } else if (auto text = is_file(mark) ? read_text(mark) : Result<std::string>("")) {
            each_line(*text, [&](std::string_view line) { in_use.insert(std::string(line)); });
        }
    }
    PackageUse use;
    Sizes sizes;
    for (const FolderEntry& entry : list_folder(stock / "wheels")) {
        fs::path wheel = stock / "wheels" / entry.name, unpacked = stock / "unpacked" / entry.name;
        std::uint64_t size = sizes.of(wheel) + sizes.of(unpacked);
        ++use.packages;
        use.bytes += size;
        if (in_use.contains(entry.name) || changed_at(wheel) >= since) continue;
        ++use.idle_packages;
        use.idle_bytes += size;
        old_packages.push_back(wheel);
        if (is_folder(unpacked)) old_packages.push_back(unpacked);
    }
    if (!removes) return use;
    for (const auto* folders : {&old_environments, &old_packages})
        for (const fs::path& folder : *folders)
            if (std::error_code failed = take_out(folder))
                return fail(ErrorKind::unwritable, "can't remove a package", folder.string(),
                            failed.message());
    std::error_code ignored;
    for (const fs::path& folder : old_environments) fs::remove(stock / marks / folder.filename(), ignored);
    return use;
}

Result<PackageUse> look_through_packages_of_user(std::chrono::days idle, bool removes) {
    return look_through_packages(PackageStock::of_user().folder(), idle, removes);
}

} // namespace omnistasis::python
