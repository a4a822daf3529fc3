#include "runtimes/python/places.h"

#include "project/assets.h"
#include "support/files.h"

namespace omnistasis::python {

namespace {

/// Whether a folder of the system holds the modules and data of one program.
bool is_programs_own(const std::string& folder) {
    return folder.starts_with("/usr/share/") ||
           (folder.starts_with("/usr/lib/") && !folder.starts_with("/usr/lib/python"));
}

} // namespace

Places::Places(const Project& project, const Facts& facts)
    : project_folder_(project.root_folder.string()), prefix_(facts.prefix),
      standard_library_(facts.standard_library), platform_library_(facts.platform_library),
      extensions_(facts.extensions), library_(facts.library_place),
      extensions_place_(facts.extensions_place) {
    if (project.is_installed && is_programs_own(project_folder_))
        own_place_ = relative_to(project_folder_, "/usr");
    auto is_of_packages = [this](const std::string& root) {
        return !is_own(root) && !is_standard(root) && !is_programs_own(root);
    };
    for (const std::string& root : facts.search_path)
        for (const std::string& outer : facts.search_path) {
            std::string inner = relative_to(root, outer);
            if (inner.empty() || !is_of_packages(root) || !is_of_packages(outer)) continue;
            if (inner_places_.emplace(root, site_packages() + "/" + inner).second)
                inner_roots_.push_back(site_packages() + "/" + inner);
        }
}

bool Places::is_own(const std::string& root) const {
    bool in_project = root == project_folder_ || !relative_to(root, project_folder_).empty();
    bool in_environment = root == prefix_ || !relative_to(root, prefix_).empty();
    bool environment_around = project_folder_ == prefix_ || !relative_to(project_folder_, prefix_).empty();
    return in_project && (!in_environment || environment_around) && !is_standard(root);
}

bool Places::is_standard(const std::string& root) const {
    return root == standard_library_ || root == platform_library_ || root == extensions_;
}

std::string Places::of_root(const std::string& root) const {
    if (is_own(root)) {
        std::string inner = relative_to(root, project_folder_);
        return inner.empty() ? own_place_ : own_place_ + "/" + inner;
    }
    // Some runtimes keep both in one folder.
    if (root == extensions_ && root != standard_library_) return extensions_place_;
    if (is_standard(root)) return library_;
    if (is_programs_own(root)) return relative_to(root, "/usr");
    auto inner = inner_places_.find(root);
    return inner == inner_places_.end() ? site_packages() : inner->second;
}

std::string Places::of_installed(const std::string& file) const {
    if (std::string inner = relative_to(file, project_folder_); !inner.empty())
        return own_place_ + "/" + inner;
    if (std::string inner = relative_to(file, system_packages_folder); !inner.empty())
        return site_packages() + "/" + inner;
    return place_of_absolute(file);
}

std::string Places::of(const std::string& file, const std::string& root) const {
    std::string inner = relative_to(file, root);
    return of_root(root) + "/" + (inner.empty() ? std::filesystem::path(file).filename().string() : inner);
}

} // namespace omnistasis::python
