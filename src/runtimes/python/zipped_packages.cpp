#include "runtimes/python/zipped_packages.h"

#include "support/archive.h"
#include "support/files.h"
#include "support/hash.h"
#include "support/user_cache.h"

#include <fmt/format.h>
#include <sys/stat.h>

namespace omnistasis::python {

namespace {

/// The archive that a search path entry is, or is inside of; empty where it is none.
fs::path archive_of(const fs::path& entry) {
    fs::path file = entry;
    while (!is_there(file) && file.has_relative_path()) file = file.parent_path();
    if (!is_file(file)) return {};
    auto content = MappedFile::open(file);
    return content && content->text().starts_with("PK") ? file : fs::path();
}

constexpr std::uint64_t largest_package = 4ull << 30; ///< bytes, unpacked

} // namespace

Result<void> unpack_zipped_packages(std::vector<std::string>& search_path) {
    for (std::string& entry : search_path) {
        fs::path file = archive_of(entry);
        if (file.empty()) continue;
        fs::path cache = user_cache_folder("unzipped");
        if (cache.empty())
            return fail(ErrorKind::missing, "there is nowhere to unpack a zipped package", file.string(),
                        "the user has no cache folder that can be written", "set XDG_CACHE_HOME to a folder");
        struct stat status {};
        if (::stat(file.c_str(), &status) != 0) continue;
        std::string state = fmt::format("{}\n{}.{} {}", file.string(), status.st_mtim.tv_sec,
                                        status.st_mtim.tv_nsec, status.st_size);
        fs::path folder = cache / hex(sha256(state)).substr(0, 32);
        std::error_code failed;
        if (!is_there(folder)) {
            auto staging = StagingFolder::make(cache, "unzipped");
            if (!staging) return pass_on(staging);
            fs::create_directories(staging->path() / "content", failed);
            if (auto done = unpack_archive(file, staging->path() / "content", largest_package); !done)
                return fail(done.error().kind, "can't unpack a zipped package", file.string(),
                            done.error().why, "install the package as a folder");
            fs::rename(staging->path() / "content", folder, failed);
            // Another process may have put the same there meanwhile.
            if (failed && !is_there(folder))
                return fail(ErrorKind::missing, "can't unpack a zipped package", folder.string(),
                            failed.message());
        }
        fs::path inner = fs::path(entry).lexically_relative(file);
        entry = (inner == "." ? folder : folder / inner).string();
    }
    return {};
}

} // namespace omnistasis::python
