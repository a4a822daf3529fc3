#include "runtimes/python/installed_distributions.h"

#include "project/own_files.h"
#include "runtimes/python/places.h"
#include "support/files.h"

#include <algorithm>
#include <array>

namespace omnistasis::python {

namespace {

constexpr std::array<std::string_view, 10> passed_folders{"tests",   "test",        "_tests",   "__pycache__",
                                                          "docs",    "doc",         "examples", "benchmarks",
                                                          "include", "node_modules"};
constexpr std::array<std::string_view, 20> passed_endings{
    ".pyx", ".pxd", ".pxi", ".h", ".hpp", ".hh",  ".c",     ".cc", ".cpp", ".cxx",
    ".f",   ".f90", ".a",   ".o", ".la",  ".pth", ".cmake", ".pc", ".pyi", ".sip"};

} // namespace

bool is_passed_file(std::string_view inner) {
    std::size_t start = 0;
    for (std::size_t slash = inner.find('/'); slash != std::string_view::npos;
         start = slash + 1, slash = inner.find('/', start))
        if (std::ranges::find(passed_folders, inner.substr(start, slash - start)) != passed_folders.end())
            return true;
    std::string_view name = inner.substr(start);
    if (name == "conftest.py") return true;
    return std::ranges::any_of(passed_endings, [&](std::string_view end) { return name.ends_with(end); });
}

bool is_passed_module(std::string_view name) {
    std::string path(name);
    std::ranges::replace(path, '.', '/');
    return is_passed_file(path + "/");
}

std::string module_name_of(std::string_view inner) {
    std::size_t slash = inner.rfind('/');
    std::string_view file = inner.substr(slash == std::string_view::npos ? 0 : slash + 1);
    std::string_view stem = file.substr(0, file.find('.'));
    if (!file.ends_with(".py") && !file.ends_with(".so") && !file.ends_with(".pyd")) return {};
    std::string name(slash == std::string_view::npos ? "" : inner.substr(0, slash));
    if (name.find('.') != std::string::npos) return {};
    std::ranges::replace(name, '/', '.');
    if (stem == "__init__") return name;
    return name.empty() ? std::string(stem) : name + "." + std::string(stem);
}

const std::vector<Distribution>& InstalledDistributions::all() {
    std::call_once(read_, [this] { all_ = find_distributions(search_path_); });
    return all_;
}

const Distribution* InstalledDistributions::owner_of(const std::string& file) {
    std::call_once(owners_read_, [this] { owners_ = std::make_unique<FileOwners>(all()); });
    return owners_->owner_of(file);
}

const Distribution* InstalledDistributions::named(const std::string& name) {
    auto found = std::ranges::find(all(), name, &Distribution::name);
    return found == all().end() ? nullptr : &*found;
}

const Distribution* InstalledDistributions::with_command(const std::string& command) {
    for (const Distribution& distribution : all())
        for (const char* group : {"console_scripts", "gui_scripts"})
            if (auto in = distribution.entry_points.find(group);
                in != distribution.entry_points.end() && in->second.contains(command))
                return &distribution;
    return nullptr;
}

std::vector<const Distribution*> InstalledDistributions::required_by(const Distribution& distribution,
                                                                     const std::set<std::string>& extras,
                                                                     bool all_extras) {
    std::vector<const Distribution*> required;
    // Debian says with its packages what each requires, and often takes it out of the metadata.
    for (const std::string& folder : related_in_system(distribution).required)
        for (const Distribution& other : all())
            if (other.folder == folder) required.push_back(&other);
    for (const Requirement& one : requirements_of(distribution))
        if (all_extras || marker_holds(one.marker, variables_, extras))
            if (const Distribution* found = named(one.name)) required.push_back(found);
    return required;
}

const RelatedEntries& InstalledDistributions::related_in_system(const Distribution& distribution) {
    static const RelatedEntries none;
    std::string of_system = std::string(system_packages_folder) + "/";
    if (!distribution.folder.starts_with(of_system)) return none;
    std::call_once(related_read_, [&] {
        related_in_system_ = entries_related_to(of_system, {".egg-info", ".dist-info"});
    });
    auto known = related_in_system_.find(distribution.folder);
    return known == related_in_system_.end() ? none : known->second;
}

bool InstalledDistributions::are_related(const Distribution& one, const Distribution& other) {
    const RelatedEntries& in_system = related_in_system(one);
    std::lock_guard lock(mutex_);
    auto [known, is_new] = related_.try_emplace(one.name);
    if (is_new) {
        known->second = required_distributions(one);
        for (const Requirement& requirement : requirements_of(one)) known->second.insert(requirement.name);
    }
    auto has = [&](const std::vector<std::string>& folders) {
        return std::ranges::find(folders, other.folder) != folders.end();
    };
    return known->second.contains(other.name) || has(in_system.required) || has(in_system.suggested);
}

bool InstalledDistributions::is_large(const Distribution& distribution) {
    {
        std::lock_guard lock(mutex_);
        if (auto known = is_large_.find(distribution.name); known != is_large_.end()) return known->second;
    }
    std::uint64_t size = 0;
    for (const DistributionFile& file : files_of(distribution))
        if (std::string inner = relative_to(file.path, distribution.root);
            !inner.empty() && !is_passed_file(inner))
            size += file.size;
    std::lock_guard lock(mutex_);
    return is_large_[distribution.name] = size > most_package_bytes;
}

} // namespace omnistasis::python
