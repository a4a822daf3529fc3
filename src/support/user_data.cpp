#include "support/user_data.h"

#include <cstdlib>

namespace omnistasis {

std::filesystem::path user_data_folder(const std::string& name, const char* variable) {
    if (const char* named = std::getenv(variable); named != nullptr && *named != 0) return named;
    const char* data = std::getenv("XDG_DATA_HOME");
    const char* home = std::getenv("HOME");
    std::filesystem::path base = data != nullptr && *data == '/' ? std::filesystem::path(data)
                                 : home != nullptr ? std::filesystem::path(home) / ".local/share"
                                                   : std::filesystem::path("/nowhere");
    return base / "omnistasis" / name;
}

} // namespace omnistasis
