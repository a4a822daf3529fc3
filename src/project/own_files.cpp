#include "project/own_files.h"

#include "runtimes/conventions.h"
#include "support/files.h"
#include "support/output_marker.h"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <fmt/format.h>
#include <set>
#include <span>

namespace omnistasis {

namespace {

// What every project may have; names that belong to a language are in its conventions.
constexpr std::array<std::string_view, 4> version_controls{".git", ".hg", ".svn", ".bzr"};

constexpr std::array<std::string_view, 8> passed_folders{"build", "dist", "out",  "target",
                                                         "tests", "test", "docs", "doc"};

/// What developers keep beside an application: descriptions of the project, of its making and its tests.
constexpr std::array<std::string_view, 6> passed_files{"Makefile",        "Dockerfile",      "Procfile",
                                                       "omnistasis.toml", "omnistasis.lock", "Vagrantfile"};
constexpr std::array<std::string_view, 7> passed_starts{
    "README", "CHANGELOG", "CONTRIBUTING", "AUTHORS", "CHANGES", "CODE_OF_CONDUCT", "docker-compose"};
/// Keys and certificates with keys: nobody gives them away unless the application names them.
constexpr std::array<std::string_view, 9> endings_of_keys{".key", ".pem",      ".p12",  ".pfx",  ".jks",
                                                          ".ppk", ".keystore", ".kdbx", "id_rsa"};
constexpr std::array<std::string_view, 14> passed_endings{
    ".log", ".pid", ".tmp", ".sock",           "-wal",        "-shm",           "-journal", ".orig",
    ".rej", ".swp", "~",    ".rehearsed.toml", ".proof.toml", ".code-workspace"};

bool is_among(std::span<const std::string_view> names, std::string_view name) {
    return std::ranges::find(names, name) != names.end();
}

struct Found {
    std::string path;
    std::uint64_t size = 0;
};

/// Where built applications, or programs in general, keep what they can make again.
bool is_cache(const std::string& path) {
    for (const char* variable : {"OMNISTASIS_CACHE", "XDG_CACHE_HOME"})
        if (const char* value = std::getenv(variable); value != nullptr && path == value) return true;
    return false;
}

bool is_passed_folder(const std::string& path, const std::string& name) {
    return name.starts_with('.') || is_among(passed_folders, name) ||
           any_names(&Conventions::passed_folders, name) ||
           any_ends(&Conventions::passed_folder_endings, name) || holds_packages(path) ||
           is_there(path + "/CACHEDIR.TAG") || is_cache(path);
}

bool is_passed_file(const std::string& name) {
    if (name.starts_with('.') || is_among(passed_files, name)) return true;
    if (any_names(&Conventions::passed_files, name) || any_starts(&Conventions::passed_file_starts, name) ||
        any_ends(&Conventions::passed_file_endings, name) || any_fits(&Conventions::test_files, name))
        return true;
    if (std::ranges::any_of(endings_of_keys, [&](std::string_view e) { return name.ends_with(e); }))
        return true;
    return std::ranges::any_of(passed_starts, [&](std::string_view s) { return name.starts_with(s); }) ||
           std::ranges::any_of(passed_endings, [&](std::string_view e) { return name.ends_with(e); });
}

/// Looks through a folder; false where there is more than anyone's own application has.
bool collect(const std::string& folder, const std::string& inner, int depth, std::vector<Found>& found) {
    constexpr std::size_t most_seen = 10 * most_own_files;
    if (depth > 60) return true;
    auto entries = list_folder(folder);
    std::set<std::string> outputs;
    if (std::ranges::find(entries, output_marker_name, &FolderEntry::name) != entries.end())
        outputs = read_output_marker(folder);
    for (const FolderEntry& entry : entries) {
        if (outputs.contains(entry.name)) continue;
        std::string path = folder + "/" + entry.name;
        std::string relative = inner.empty() ? entry.name : inner + "/" + entry.name;
        // Links to folders may lead out of the project, or round for ever.
        if (entry.is_folder) {
            if (entry.is_link || is_passed_folder(path, entry.name)) continue;
            if (!collect(path, relative, depth + 1, found)) return false;
            continue;
        }
        std::error_code failed;
        // Pipes, devices and links that lead nowhere have nothing to read.
        if (is_passed_file(entry.name) || !fs::is_regular_file(path, failed)) continue;
        if (found.size() >= most_seen) return false;
        std::uint64_t size = fs::file_size(path, failed);
        found.push_back({std::move(relative), failed ? 0 : size});
    }
    return true;
}

} // namespace

std::string why_not_own(const fs::path& folder) {
    std::string path = folder.string();
    static constexpr std::array<std::string_view, 12> of_everybody{
        "/", "/tmp", "/var/tmp", "/home", "/root", "/opt", "/srv", "/mnt", "/media", "/etc", "/var", "/run"};
    if (std::ranges::find(of_everybody, path) != of_everybody.end())
        return fmt::format("{} holds more than one application", path);
    if (path == "/usr" || path.starts_with("/usr/") || path == "/bin" || path == "/sbin")
        return fmt::format("{} belongs to the system", path);
    const char* home = std::getenv("HOME");
    if (home != nullptr && path == home) return fmt::format("{} is a home folder", path);
    if (folder.parent_path() == "/home") return fmt::format("{} is a home folder", path);
    bool in_home = home != nullptr && folder.parent_path() == home;
    static constexpr std::array<std::string_view, 5> of_the_user{"Desktop", "Downloads", "Documents", "bin",
                                                                 "Dropbox"};
    if (in_home && std::ranges::find(of_the_user, folder.filename().string()) != of_the_user.end())
        return fmt::format("{} holds more than one application", path);
    return {};
}

bool holds_packages(const fs::path& folder) {
    return std::ranges::any_of(conventions(), [&](const Conventions* one) {
        return std::ranges::any_of(one->environment_marks,
                                   [&](std::string_view mark) { return is_there(folder / mark); });
    });
}

bool is_project_folder(const fs::path& folder) {
    auto has = [&](std::string_view mark) { return is_there(folder / mark); };
    return std::ranges::any_of(version_controls, has) ||
           std::ranges::any_of(conventions(), [&](const Conventions* one) {
               return std::ranges::any_of(one->project_files, has);
           });
}

fs::path own_folder_above(const fs::path& folder) {
    fs::path at = folder;
    for (int up = 0; up < 8 && at.has_relative_path(); ++up, at = at.parent_path()) {
        if (!why_not_own(at).empty()) break;
        if (is_project_folder(at)) return at;
    }
    return folder;
}

fs::path folder_of_both(const fs::path& folder, const fs::path& to) {
    fs::path at = folder;
    std::string path = to.string();
    while (path.size() > 1 && path.ends_with('/')) path.pop_back();
    for (int up = 0; up <= 3 && at.has_relative_path(); ++up, at = at.parent_path()) {
        if (!relative_to(path, at.string()).empty() || path == at.string()) return at;
        if (at == "/usr" || at.string().starts_with("/usr/")) break;
    }
    return folder;
}

OwnFiles find_own_files(const Project& project) {
    OwnFiles own;
    own.folder = project.own_folder.string();
    if (own.refused = why_not_own(project.own_folder); !own.refused.empty()) return own;
    std::vector<Found> found;
    if (!collect(own.folder, "", 0, found)) {
        own.refused = fmt::format("{} holds more files than an application's own", own.folder);
        return own;
    }
    std::string output = relative_to(project.out.string(), own.folder);
    std::erase_if(found, [&](const Found& one) {
        return !output.empty() && (one.path + "/").starts_with(output + "/");
    });
    // The small ones first: a few large files must not push everything else out.
    std::ranges::sort(found, [](const Found& left, const Found& right) {
        return std::tie(left.size, left.path) < std::tie(right.size, right.path);
    });
    for (Found& one : found) {
        bool fits = own.size + one.size <= most_own_bytes && own.files.size() < most_own_files;
        (fits ? own.size : own.too_large_size) += one.size;
        (fits ? own.files : own.too_large).push_back(std::move(one.path));
    }
    std::ranges::sort(own.files);
    std::ranges::sort(own.too_large);
    return own;
}

} // namespace omnistasis
