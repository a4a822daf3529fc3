#include "runtimes/node/placement.h"

#include "support/files.h"

#include <fmt/format.h>

namespace omnistasis::node {

namespace {

constexpr const char* tree_root = "app";
constexpr std::string_view packages_folder = "/node_modules/";

/// The end of "node_modules/NAME" or "node_modules/@SCOPE/NAME" that begins at `at` with a slash.
std::size_t end_of_name(const std::string& path, std::size_t at) {
    std::size_t start = at + packages_folder.size();
    std::size_t end = path.find('/', start);
    if (start < path.size() && path[start] == '@' && end != std::string::npos) end = path.find('/', end + 1);
    return end == std::string::npos ? path.size() : end;
}

} // namespace

Placement::Placement(const std::string& folder) : base_(folder) {
    // Packages are looked for in all folders above; a project's own are where its workspace is.
    for (fs::path above = fs::path(folder).parent_path(); above.has_relative_path();
         above = above.parent_path())
        if (is_file(above / "package.json") && is_folder(above / "node_modules")) base_ = above.string();
    take_links(base_ + "/node_modules");
    take_links(base_ + "/node_modules/.pnpm/node_modules");
}

void Placement::take_links(const std::string& packages) {
    auto take = [&](const std::string& name) {
        std::string folder = packages + "/" + name;
        std::string real = real_path(folder);
        if (!top_.try_emplace(name, real).second) return;
        if (real != folder) linked_.try_emplace(real, fmt::format("{}/node_modules/{}", tree_root, name));
    };
    for (const FolderEntry& entry : list_folder(packages)) {
        if (!entry.is_folder || entry.name.front() == '.') continue;
        if (entry.name.front() != '@') {
            take(entry.name);
            continue;
        }
        for (const FolderEntry& inner : list_folder(packages + "/" + entry.name))
            if (inner.is_folder) take(entry.name + "/" + inner.name);
    }
}

std::string Placement::package_root(const std::string& file) const {
    std::size_t at = file.rfind(packages_folder);
    if (at != std::string::npos) return file.substr(0, end_of_name(file, at));
    // A package that is linked from elsewhere.
    for (std::string folder = fs::path(file).parent_path().string(); folder.size() > 1;
         folder = fs::path(folder).parent_path().string()) {
        if (linked_.contains(folder)) return folder;
        if (folder == base_) return base_;
        if (relative_to(folder, base_).empty() && is_file(folder + "/package.json")) return folder;
    }
    return base_;
}

bool Placement::is_own(const std::string& file) const {
    return file.find(packages_folder) == std::string::npos &&
           (file == base_ || !relative_to(file, base_).empty());
}

std::string Placement::own_place(const std::string& file) const {
    std::string inner = file == base_ ? "" : relative_to(file, base_);
    return inner.empty() ? tree_root : fmt::format("{}/{}", tree_root, inner);
}

std::string Placement::place_of(const std::string& file, const std::string& from,
                                const std::string& from_place, const std::string& name) {
    std::string root = package_root(file);
    std::string inner = relative_to(file, root);
    auto in = [&](const std::string& place) { return inner.empty() ? place : place + "/" + inner; };
    std::string from_root = package_root(from);
    std::string from_inner = relative_to(from, from_root);
    std::string asking = from_place.size() > from_inner.size() + 1 && !from_inner.empty()
                             ? from_place.substr(0, from_place.size() - from_inner.size() - 1)
                             : std::string(tree_root);
    if (root == from_root) return in(asking);
    if (root == base_) return own_place(file);
    // Who goes to a linked package of the project by a path finds it there, whoever finds it by its name.
    if (name.empty() && is_own(file) && is_own(from)) return own_place(file);
    if (auto linked = linked_.find(root); linked != linked_.end()) return in(linked->second);
    bool natural = !relative_to(root, base_).empty();
    bool in_store = root.find("/node_modules/.") != std::string::npos;
    if (natural && !in_store) {
        // What was moved takes the packages in it along.
        if (std::string deeper = relative_to(root, from_root); !deeper.empty() && from_root != base_)
            return in(asking + "/" + deeper);
        return own_place(file);
    }
    // Reached over a link that is not at the top: visible from there already, or put below the one that asks.
    std::string known = name.empty() ? fs::path(root).filename().string() : name;
    std::lock_guard lock(mutex_);
    for (std::string place = asking;;) {
        std::string here = place + "/node_modules/" + known;
        if (auto instance = instances_.find(here); instance != instances_.end() && instance->second == root)
            return in(here);
        if (place.ends_with("/node_modules/" + known) && instances_.contains(place) &&
            instances_[place] == root)
            return in(place);
        std::size_t above = place.rfind(packages_folder);
        if (above == std::string::npos) break;
        place.resize(above);
    }
    auto top = top_.find(known);
    bool free = top == top_.end() || top->second == root;
    // A package from elsewhere that nothing else takes the name of stands beside the others.
    std::string place =
        fmt::format("{}/node_modules/{}", free && !in_store ? std::string(tree_root) : asking, known);
    instances_.try_emplace(place, root);
    return in(place);
}

} // namespace omnistasis::node
