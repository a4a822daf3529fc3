#include "support/user_cache.h"

#include <cstdlib>
#include <sys/stat.h>
#include <unistd.h>

namespace omnistasis {

std::filesystem::path user_cache_folder(const std::string& name) {
    namespace fs = std::filesystem;
    const char* own = std::getenv("XDG_CACHE_HOME");
    const char* home = std::getenv("HOME");
    fs::path base = own != nullptr && own[0] == '/'     ? fs::path(own)
                    : home != nullptr && home[0] == '/' ? fs::path(home) / ".cache"
                                                        : fs::path();
    if (base.empty()) return {};
    std::error_code failed;
    fs::create_directories(base, failed);
    // Built applications unpack below the same folder, and use it only while nobody else can write there.
    for (const fs::path& folder : {base / "omnistasis", base / "omnistasis" / name}) {
        ::mkdir(folder.c_str(), 0700);
        struct stat status {};
        bool private_folder = ::lstat(folder.c_str(), &status) == 0 && S_ISDIR(status.st_mode) &&
                              status.st_uid == ::geteuid() && (status.st_mode & 022) == 0;
        if (!private_folder) return {};
    }
    return base / "omnistasis" / name;
}

} // namespace omnistasis
