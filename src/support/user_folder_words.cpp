#include "support/user_folder_words.h"

#include <algorithm>

namespace omnistasis {

namespace {

struct Words {
    const char* data;
    const char* caches;
};

Words words_of(System system) {
    switch (system) {
    case System::windows:
        return {"%LOCALAPPDATA%", "%LOCALAPPDATA%"};
    case System::macos:
        return {"~/Library/Application Support", "~/Library/Caches"};
    default:
        return {"~/.local/share", "~/.cache"};
    }
}

std::string shown(System system, const char* folder, const std::string& path) {
    std::string whole = std::string(folder) + "/" + path;
    if (system == System::windows) std::ranges::replace(whole, '/', '\\');
    return whole;
}

} // namespace

std::string shown_in_data(System system, const std::string& path) {
    return shown(system, words_of(system).data, path);
}

std::string shown_in_caches(System system, const std::string& path) {
    return shown(system, words_of(system).caches, path);
}

} // namespace omnistasis
