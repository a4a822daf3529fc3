#include "support/system_packages.h"

#include "support/files.h"
#include "support/own_program.h"
#include "support/stored_form.h"
#include "support/text.h"

#include <algorithm>
#include <array>
#include <mutex>
#include <oneapi/tbb/parallel_for.h>
#include <set>
#include <unordered_map>

namespace omnistasis {

namespace {

constexpr const char* database = "/var/lib/dpkg";

constexpr std::array<std::string_view, 5> program_folders{"/usr/bin/", "/bin/", "/usr/games/", "/usr/sbin/",
                                                          "/sbin/"};
/// What programs do without: for people, shells and desktops.
constexpr std::array<std::string_view, 16> unread_folders{
    "/etc/",           "/usr/share/doc",          "/usr/share/man",      "/usr/share/lintian",
    "/usr/share/bug",  "/usr/share/info",         "/usr/share/locale",   "/usr/share/bash-completion",
    "/usr/share/menu", "/usr/share/applications", "/usr/share/metainfo", "/usr/share/zsh",
    "/usr/share/fish", "/usr/share/icons",        "/usr/share/pixmaps",  "/usr/lib/mime"};

/// No package puts files into folders of people, of a moment or of other volumes (Filesystem Hierarchy
/// Standard 3.0, section 3).
bool may_be_of_package(const std::string& file) {
    constexpr std::array<std::string_view, 5> free{"/home/", "/root/", "/tmp/", "/mnt/", "/media/"};
    return std::ranges::none_of(free, [&](std::string_view folder) { return file.starts_with(folder); });
}

/// Lists name a file as its package has it: `/lib/x` is `/usr/lib/x` where the one is a link to the other.
std::vector<std::string> spellings(const std::string& file) {
    std::vector<std::string> names{file};
    if (file.starts_with("/usr/")) names.push_back(file.substr(4));
    return names;
}

template <typename Archive, typename Owners> void visit(Archive& archive, Owners& owners) {
    visit_list(archive, owners, [](auto& into, auto& owner) {
        into.value(owner.first);
        for (auto* text : {&owner.second.name, &owner.second.version, &owner.second.architecture,
                           &owner.second.homepage, &owner.second.copyright_file})
            into.shared(*text);
    });
}

/// Version, architecture and home page of packages, out of the list of what is installed.
void read_status(std::string_view status, std::map<std::string, SystemPackage>& packages) {
    SystemPackage* current = nullptr;
    each_line(status, [&](std::string_view line) {
        auto value = [&](std::string_view field) { return std::string(line.substr(field.size())); };
        if (line.starts_with("Package: ")) {
            auto found = packages.find(value("Package: "));
            current = found == packages.end() ? nullptr : &found->second;
        } else if (current != nullptr && line.starts_with("Version: ")) {
            current->version = value("Version: ");
        } else if (current != nullptr && line.starts_with("Architecture: ")) {
            current->architecture = value("Architecture: ");
        } else if (current != nullptr && line.starts_with("Homepage: ")) {
            current->homepage = value("Homepage: ");
        }
    });
}

/// Calls with each package's name and its source's.
template <typename Tell> void each_source(std::string_view status, Tell tell) {
    std::string_view package, source;
    auto end_package = [&] {
        if (!package.empty()) tell(package, source);
        package = source = {};
    };
    each_line(status, [&](std::string_view line) {
        if (line.starts_with("Package: ")) package = source = line.substr(9);
        if (line.starts_with("Source: ")) source = line.substr(8, line.substr(8).find(' '));
        if (line.empty()) end_package();
    });
    end_package();
}

bool says_what_is_required(std::string_view line) {
    return line.starts_with("Depends: ") || line.starts_with("Recommends: ") ||
           line.starts_with("Pre-Depends: ");
}

/// The names in "Depends: a (>= 1), b | c:any".
std::vector<std::string_view> packages_in(std::string_view line) {
    std::vector<std::string_view> names;
    std::string_view rest = line.substr(line.find(' ') + 1);
    while (!rest.empty()) {
        names.push_back(rest.substr(0, rest.find_first_of(" ,|:(")));
        std::size_t next = rest.find_first_of(",|");
        if (next == std::string_view::npos) break;
        rest.remove_prefix(next + 1);
        rest.remove_prefix(std::min(rest.find_first_not_of(' '), rest.size()));
    }
    return names;
}

/// The names of the lists of `package`: one, or one for each architecture.
std::vector<std::string> lists_of(std::string_view package, const std::vector<std::string>& lists) {
    std::vector<std::string> found;
    for (const std::string& list : lists)
        if (list.starts_with(package) && list.substr(package.size()).find_first_of(".:") == 0 &&
            (list[package.size()] == ':' || list.size() == package.size() + 5))
            found.push_back(list);
    return found;
}

std::vector<std::string> all_lists() {
    std::vector<std::string> lists;
    for (const FolderEntry& entry : list_folder(fs::path(database) / "info"))
        if (entry.name.ends_with(".list")) lists.push_back(entry.name);
    return lists;
}

/// A file, or the files of a folder that a link stands for, two levels deep: lists name the link only.
void add_files_at(const std::string& path, std::vector<std::string>& files) {
    constexpr std::size_t most = 20'000;
    std::error_code failed;
    if (is_file(path)) {
        files.push_back(path);
    } else if (fs::is_symlink(path, failed) && is_folder(path)) {
        for (const FolderEntry& entry : list_folder(path)) {
            std::string inner = path + "/" + entry.name;
            if (files.size() >= most || entry.is_link) continue;
            if (!entry.is_folder)
                files.push_back(inner);
            else
                for (const FolderEntry& deeper : list_folder(inner))
                    if (!deeper.is_folder && !deeper.is_link) files.push_back(inner + "/" + deeper.name);
        }
    }
}

using Owners = std::vector<std::pair<std::string, SystemPackage>>;

Owners look_up(const std::vector<std::string>& files) {
    std::unordered_map<std::string_view, const std::string*> wanted;
    std::vector<std::vector<std::string>> names;
    names.reserve(files.size());
    for (const std::string& file : files) {
        names.push_back(spellings(file));
        for (const std::string& name : names.back()) wanted.emplace(name, &file);
    }
    std::vector<std::string> lists = all_lists();
    std::mutex mutex;
    std::map<std::string, std::string> owner_of; // file, package
    oneapi::tbb::parallel_for(std::size_t(0), lists.size(), [&](std::size_t i) {
        auto list = MappedFile::open(fs::path(database) / "info" / lists[i]);
        if (!list) return;
        std::string package = lists[i].substr(0, lists[i].size() - 5);
        package = package.substr(0, package.find(':')); // the architecture
        each_line(list->text(), [&](std::string_view line) {
            auto found = wanted.find(line);
            if (found == wanted.end()) return;
            std::lock_guard lock(mutex);
            std::string& owner = owner_of[*found->second];
            if (owner.empty() || package < owner) owner = package;
        });
    });
    std::map<std::string, SystemPackage> packages;
    for (const auto& [file, package] : owner_of) packages[package].name = package;
    if (auto status = MappedFile::open(fs::path(database) / "status")) read_status(status->text(), packages);
    for (auto& [name, package] : packages) {
        fs::path copyright = fs::path("/usr/share/doc") / name / "copyright";
        if (is_file(copyright)) package.copyright_file = copyright.string();
    }
    Owners owners;
    for (const auto& [file, package] : owner_of) owners.emplace_back(file, packages[package]);
    return owners;
}

} // namespace

std::map<std::string, SystemPackage> system_packages_of(const std::vector<std::string>& files, Store& store) {
    fs::path status = fs::path(database) / "status";
    std::vector<std::string> sorted;
    std::ranges::copy_if(files, std::back_inserter(sorted), may_be_of_package);
    if (sorted.empty() || !is_file(status)) return {};
    std::ranges::sort(sorted);
    std::string subject = "owners " + own_program_stamp() + file_stamp(status.string());
    for (const std::string& file : sorted) subject += '\0' + file;
    std::string key = Store::key_of(subject);
    Owners owners;
    if (auto known = store.find(key)) {
        FormReader reader(*known);
        visit(reader, owners);
        if (reader.complete()) return {owners.begin(), owners.end()};
        owners.clear();
    }
    owners = look_up(sorted);
    FormWriter writer;
    visit(writer, owners);
    store.keep(key, std::move(writer.bytes));
    return {owners.begin(), owners.end()};
}

std::map<std::string, std::string> package_sources_of(const std::vector<std::string>& files) {
    auto status = MappedFile::open(fs::path(database) / "status");
    if (!status || files.empty()) return {};
    Owners owners = look_up(files);
    std::map<std::string_view, std::string_view> source_of;
    each_source(status->text(), [&](std::string_view package, std::string_view source) {
        source_of.emplace(package, source);
    });
    std::map<std::string, std::string> sources;
    for (const auto& [file, package] : owners)
        if (auto known = source_of.find(package.name); known != source_of.end())
            sources.emplace(file, known->second);
    return sources;
}

std::map<std::string, RelatedEntries> entries_related_to(std::string_view folder,
                                                         const std::vector<std::string>& endings) {
    auto status = MappedFile::open(fs::path(database) / "status");
    if (!status) return {};
    std::vector<std::string> lists = all_lists();
    std::vector<std::vector<std::string>> entries(lists.size());
    oneapi::tbb::parallel_for(std::size_t(0), lists.size(), [&](std::size_t i) {
        auto list = MappedFile::open(fs::path(database) / "info" / lists[i]);
        std::string_view text = list ? list->text() : std::string_view();
        for (std::size_t at = text.find(folder); at != std::string_view::npos;
             at = text.find(folder, at + 1)) {
            std::string_view line = text.substr(at, text.substr(at).find('\n'));
            bool fits = (at == 0 || text[at - 1] == '\n') &&
                        std::ranges::any_of(
                            endings, [&](const std::string& ending) { return line.ends_with(ending); });
            if (fits) entries[i].emplace_back(line);
        }
    });
    std::map<std::string, std::vector<std::string>, std::less<>> of_package;
    for (std::size_t i = 0; i < lists.size(); ++i)
        if (!entries[i].empty())
            of_package[lists[i].substr(0, lists[i].find_first_of(":")).substr(0, lists[i].find(".list"))] =
                entries[i];
    std::map<std::string, RelatedEntries> related;
    auto add = [](const std::vector<std::string>& from, std::vector<std::string>& to) {
        to.insert(to.end(), from.begin(), from.end());
    };
    std::string_view package;
    each_line(status->text(), [&](std::string_view line) {
        if (line.starts_with("Package: ")) package = line.substr(9);
        bool requires_it = says_what_is_required(line), suggests = line.starts_with("Suggests: "),
             enhances = line.starts_with("Enhances: ");
        if (!requires_it && !suggests && !enhances) return;
        auto own = of_package.find(package);
        if (own == of_package.end()) return;
        for (std::string_view name : packages_in(line)) {
            auto other = of_package.find(name);
            if (other == of_package.end()) continue;
            for (const std::string& entry : own->second)
                if (!enhances)
                    add(other->second, requires_it ? related[entry].required : related[entry].suggested);
            for (const std::string& entry : other->second)
                if (enhances) add(own->second, related[entry].suggested);
        }
    });
    return related;
}

std::map<std::string, RequiredProgram> programs_required_by(const std::string& file) {
    auto status = MappedFile::open(fs::path(database) / "status");
    Owners owners = status ? look_up({file}) : Owners();
    if (owners.empty()) return {};
    std::set<std::string_view> required;
    std::multimap<std::string_view, std::string_view> providers; // of names that no package has itself
    std::string_view package;
    each_line(status->text(), [&](std::string_view line) {
        if (line.starts_with("Package: ")) package = line.substr(9);
        bool is_own = package == owners.front().second.name && says_what_is_required(line);
        bool provides = line.starts_with("Provides: ");
        if (!is_own && !provides) return;
        for (std::string_view name : packages_in(line))
            if (is_own)
                required.insert(name);
            else
                providers.emplace(name, package);
    });
    for (std::string_view name : std::vector(required.begin(), required.end()))
        for (auto [one, end] = providers.equal_range(name); one != end; ++one) required.insert(one->second);
    std::vector<std::string> lists = all_lists();
    std::map<std::string, RequiredProgram> programs;
    for (std::string_view name : required)
        for (const std::string& its_list : lists_of(name, lists)) {
            auto list = MappedFile::open(fs::path(database) / "info" / its_list);
            std::vector<std::string> found;
            std::uint64_t size = 0;
            each_line(list ? list->text() : std::string_view(), [&](std::string_view line) {
                std::string path(line);
                auto lies_in = [&](std::string_view folder) { return line.starts_with(folder); };
                if (std::ranges::any_of(unread_folders, lies_in) || !is_file(path)) return;
                std::error_code failed;
                std::uint64_t its_size = fs::file_size(path, failed);
                if (!failed) size += its_size;
                if (std::ranges::any_of(program_folders, lies_in)) found.push_back(path);
            });
            for (const std::string& path : found)
                programs[fs::path(path).filename().string()] = {real_path(path), size};
        }
    return programs;
}

std::vector<std::string> files_packaged_with(const std::string& file) {
    auto status = MappedFile::open(fs::path(database) / "status");
    if (!status) return {};
    Owners owners = look_up({file});
    if (owners.empty()) return {};
    std::string_view source;
    each_source(status->text(), [&](std::string_view package, std::string_view its_source) {
        if (package == owners.front().second.name) source = its_source;
    });
    std::vector<std::string> lists = all_lists(), files;
    each_source(status->text(), [&](std::string_view package, std::string_view its_source) {
        if (its_source != source) return;
        for (const std::string& name : lists_of(package, lists)) {
            auto list = MappedFile::open(fs::path(database) / "info" / name);
            each_line(list ? list->text() : std::string_view(), [&](std::string_view line) {
                std::string path(line);
                if (path.starts_with("/lib/")) path.insert(0, "/usr");
                add_files_at(path, files);
            });
        }
    });
    std::ranges::sort(files);
    files.erase(std::unique(files.begin(), files.end()), files.end());
    return files;
}

} // namespace omnistasis
