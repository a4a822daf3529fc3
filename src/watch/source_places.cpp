#include "watch/source_places.h"

#include "support/files.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::watch {

namespace {

/// The rest of a path that is `folder` or lies in it, with its slash; nothing where it does not.
std::optional<std::string> rest_in(const std::string& path, const std::string& folder) {
    if (path == folder) return "";
    return path.starts_with(folder + "/") ? std::optional(path.substr(folder.size())) : std::nullopt;
}

} // namespace

SourcePlaces::SourcePlaces(const std::vector<fs::path>& folders) {
    std::vector<std::string> all;
    for (const fs::path& one : folders) {
        std::string folder = one.lexically_normal().string();
        while (folder.ends_with('/')) folder.pop_back();
        if (!folder.empty()) all.push_back(folder);
    }
    for (const std::string& folder : all) {
        bool is_inside = std::ranges::any_of(
            all, [&](const std::string& other) { return other != folder && rest_in(folder, other); });
        if (is_inside || !of(folder).empty()) continue;
        shown_.push_back({folder, fmt::format("/source/{}/{}", shown_.size() + 1, base_name(folder))});
    }
}

std::string SourcePlaces::of(const std::string& file) const {
    for (const Shown& one : shown_)
        if (auto rest = rest_in(file, one.folder)) return one.place + *rest;
    return {};
}

} // namespace omnistasis::watch
