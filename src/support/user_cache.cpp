#include "support/user_cache.h"

#include <cstdlib>
#include <fcntl.h>
#include <string_view>
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
    // Tells everybody who looks through folders that all of it can be made again (Cache Directory Tagging
    // Specification).
    fs::path tag = base / "omnistasis" / "CACHEDIR.TAG";
    if (!fs::exists(tag, failed)) {
        int file = ::open(tag.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
        constexpr std::string_view text = "Signature: 8a477f597d28d172789f06886806bc55\n";
        if (file >= 0) {
            [[maybe_unused]] auto written = ::write(file, text.data(), text.size());
            ::close(file);
        }
    }
    return base / "omnistasis" / name;
}

} // namespace omnistasis
