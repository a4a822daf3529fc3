#include "native/loader_cache.h"

#include "support/byte_view.h"

#include <cstring>

namespace omnistasis::native {

namespace {

constexpr std::string_view magic = "glibc-ld.so.cache1.1";
constexpr std::size_t header_size = 48;
constexpr std::size_t entry_size = 24;

} // namespace

LoaderCache LoaderCache::read(const fs::path& file) {
    auto mapped = MappedFile::open(file);
    return mapped ? parse(mapped->bytes()) : LoaderCache();
}

LoaderCache LoaderCache::parse(ByteSpan bytes) {
    LoaderCache cache;
    if (bytes.size() < header_size || std::memcmp(bytes.data(), magic.data(), magic.size()) != 0)
        return cache;
    ByteView view(bytes);
    NameReader names(view);
    std::uint32_t count = view.word(magic.size());
    for (std::size_t i = 0; i < count; ++i) {
        std::size_t at = header_size + i * entry_size;
        if (at + entry_size > bytes.size()) break;
        std::uint64_t capabilities = view.quad(at + 16);
        if (capabilities != 0) continue;
        std::string name(names.text(view.word(at + 4)));
        cache.paths_[std::move(name)].emplace_back(names.text(view.word(at + 8)));
    }
    return cache;
}

const std::vector<std::string>& LoaderCache::find(const std::string& name) const {
    static const std::vector<std::string> none;
    auto found = paths_.find(name);
    return found == paths_.end() ? none : found->second;
}

std::string LoaderCache::full_name(const std::string& bare) const {
    std::string start = "lib" + bare + ".so";
    std::string shortest;
    for (auto entry = paths_.lower_bound(start); entry != paths_.end() && entry->first.starts_with(start);
         ++entry) {
        std::string_view rest = std::string_view(entry->first).substr(start.size());
        // Links for linking only are there with development packages only.
        if (!rest.starts_with('.')) continue;
        if (shortest.empty() || entry->first.size() < shortest.size()) shortest = entry->first;
    }
    return shortest;
}

} // namespace omnistasis::native
