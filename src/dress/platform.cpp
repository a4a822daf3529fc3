#include "dress/platform.h"

#include <cctype>

namespace omnistasis::dress {

const Platform& platform_of(const std::string& target) {
    struct Entry {
        const char* system;
        const Platform& (*platform)();
    };
    static constexpr Entry platforms[] = {
        {"linux-", linux_platform}, {"windows-", windows_platform}, {"macos-", macos_platform}};
    for (const Entry& one : platforms)
        if (target.starts_with(one.system)) return one.platform();
    return linux_platform();
}

std::string identifier_of(const Project& project) {
    if (!project.identifier.empty()) return project.identifier;
    std::string name;
    for (char c : project.name)
        name += std::isalnum(static_cast<unsigned char>(c)) != 0
                    ? static_cast<char>(std::tolower(static_cast<unsigned char>(c)))
                    : '_';
    return "app.local." +
           (name.empty() || std::isdigit(static_cast<unsigned char>(name.front())) != 0 ? "_" + name : name);
}

} // namespace omnistasis::dress
