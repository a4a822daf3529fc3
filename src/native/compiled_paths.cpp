#include "native/compiled_paths.h"

#include "runtimes/conventions.h"
#include "support/target_info.h"

#include <algorithm>
#include <array>
#include <string_view>

namespace omnistasis::native {

namespace {

/// Folders below /usr/lib and /usr/share that belong to the system, to its devices or to all packages.
constexpr std::array<std::string_view, 46> shared_folders{"debug",
                                                          "locale",
                                                          "ssl",
                                                          "modules",
                                                          "firmware",
                                                          "systemd",
                                                          "terminfo",
                                                          "doc",
                                                          "info",
                                                          "man",
                                                          "fonts",
                                                          "icons",
                                                          "themes",
                                                          "zoneinfo",
                                                          "alsa",
                                                          "tcltk",
                                                          "dict",
                                                          "vulkan",
                                                          "glvnd",
                                                          "drirc.d",
                                                          "dri",
                                                          "vdpau",
                                                          "metainfo",
                                                          "applications",
                                                          "gconv",
                                                          "sysctl.d",
                                                          "sysusers.d",
                                                          "tmpfiles.d",
                                                          "udev",
                                                          "dbus-1",
                                                          "pkgconfig",
                                                          "cmake",
                                                          "fontconfig",
                                                          "mime",
                                                          "libdrm",
                                                          "glib-2.0",
                                                          "bug",
                                                          "emacs",
                                                          "gettext",
                                                          "gcc",
                                                          "desktop-directories",
                                                          "perl5",
                                                          "lintian",
                                                          "util-linux",
                                                          "polkit-1",
                                                          "bash-completion"};

bool is_path_byte(char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
           std::string_view("._-+/").find(c) != std::string_view::npos;
}

/// Whether a folder is one for many packages: /usr/lib, /usr/share, that of one processor in them.
bool is_of_all(std::string_view path) {
    auto depth = std::ranges::count(path, '/');
    return depth < 3 || (depth == 3 && is_library_folder(path));
}

bool is_shared(std::string_view path) {
    std::string_view rest = path.substr(std::string_view("/usr/").size());
    rest.remove_prefix(rest.find('/') + 1);
    std::string_view first = rest.substr(0, rest.find('/'));
    if (is_library_folder(first)) {
        rest.remove_prefix(std::min(first.size() + 1, rest.size()));
        first = rest.substr(0, rest.find('/'));
    }
    return std::ranges::find(shared_folders, first) != shared_folders.end() ||
           any_names(&Conventions::shared_folders, first);
}

} // namespace

std::vector<std::string> compiled_paths(ByteSpan file,
                                        const std::set<std::string, std::less<>>& data_folders) {
    std::string_view text = as_text(file);
    std::vector<std::string> paths;
    constexpr std::string_view start = "/usr/";
    constexpr std::size_t longest = 200;
    for (std::size_t at = text.find(start); at != std::string_view::npos; at = text.find(start, at + 1)) {
        char before = at == 0 ? '\0' : text[at - 1];
        if (before != '\0' && before != ':') continue;
        std::size_t end = at;
        while (end < text.size() && end - at < longest && is_path_byte(text[end])) ++end;
        if (end == text.size() || (text[end] != '\0' && text[end] != ':')) continue;
        std::string_view path = text.substr(at, end - at);
        while (path.ends_with('/')) path.remove_suffix(1);
        bool is_wanted = path.starts_with("/usr/lib/") || path.starts_with("/usr/share/") ||
                         path.starts_with("/usr/libexec/");
        if (is_wanted && !is_shared(path) && !is_of_all(path)) paths.emplace_back(path);
    }
    // A word of its own, or the first part of a path.
    for (std::size_t at = 0; !data_folders.empty() && at < text.size();) {
        std::size_t end = at;
        while (end < text.size() && end - at < longest && text[end] != '/' && is_path_byte(text[end])) ++end;
        std::string_view word = text.substr(at, end - at);
        if (end < text.size() && (text[end] == '\0' || text[end] == '/') && data_folders.contains(word) &&
            !is_shared("/usr/share/" + std::string(word)))
            paths.push_back("/usr/share/" + std::string(word));
        std::size_t next = text.find('\0', end);
        if (next == std::string_view::npos) break;
        at = next + 1;
    }
    std::ranges::sort(paths);
    paths.erase(std::unique(paths.begin(), paths.end()), paths.end());
    return paths;
}

} // namespace omnistasis::native
