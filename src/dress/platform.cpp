#include "dress/platform.h"

#include <cctype>

namespace omnistasis::dress {

const Platform& platform_of(const std::string& target) {
    switch (system_of(target)) {
    case System::windows:
        return windows_platform();
    case System::macos:
        return macos_platform();
    case System::linux:
        break;
    }
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
