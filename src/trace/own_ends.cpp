#include "trace/own_ends.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis::trace {

namespace {

std::string megabytes(std::uint64_t size) {
    return fmt::format("{:.1f} MB", static_cast<double>(size) / 1e6);
}

} // namespace

std::vector<LooseEnd> loose_ends_of(const OwnFiles& own) {
    if (!own.refused.empty())
        return {{"own-not-whole", fmt::format("only what is reached goes along: {}", own.refused), own.folder,
                 0, "files that nothing names are missing from the output",
                 "put the application into a folder of its own, or name its files with --asset", true}};
    if (own.too_large.empty()) return {};
    std::vector<std::string> names(
        own.too_large.end() - static_cast<std::ptrdiff_t>(std::min<std::size_t>(own.too_large.size(), 3)),
        own.too_large.end());
    return {{"own-too-large",
             fmt::format("{} own files ({}) stay out, as all of them would be more than {}: {}{}",
                         own.too_large.size(), megabytes(own.too_large_size), megabytes(most_own_bytes),
                         fmt::join(names, ", "), own.too_large.size() > names.size() ? ", ..." : ""),
             own.folder, 0, "the application may not find them",
             "carry those that it reads with --asset, or move the others out of its folder"}};
}

} // namespace omnistasis::trace
