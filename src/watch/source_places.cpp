#include "watch/source_places.h"

#include "support/files.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::watch {

SourcePlaces::SourcePlaces(const std::vector<fs::path>& folders) {
    std::vector<std::string> all;
    for (const fs::path& one : folders) {
        std::string folder = one.lexically_normal().string();
        while (folder.ends_with('/')) folder.pop_back();
        if (!folder.empty()) all.push_back(folder);
    }
    for (const std::string& folder : all) {
        bool is_inside = std::ranges::any_of(
            all, [&](const std::string& other) { return !relative_to(folder, other).empty(); });
        if (is_inside || !of(folder).empty()) continue;
        shown_.push_back({folder, fmt::format("/source/{}/{}", shown_.size() + 1, base_name(folder))});
    }
}

std::string SourcePlaces::of(const std::string& file) const {
    for (const Shown& one : shown_) {
        if (file == one.folder) return one.place;
        if (std::string inner = relative_to(file, one.folder); !inner.empty()) return one.place + "/" + inner;
    }
    return {};
}

} // namespace omnistasis::watch
