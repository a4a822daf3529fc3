#include "native/loader_cache.h"

#include <cstring>

namespace omnistasis::native {

namespace {

constexpr std::string_view magic = "glibc-ld.so.cache1.1";
constexpr std::size_t header_size = 48;
constexpr std::size_t entry_size = 24;

std::uint32_t word(ByteSpan bytes, std::size_t offset) {
    std::uint32_t value = 0;
    if (offset + 4 <= bytes.size()) std::memcpy(&value, bytes.data() + offset, 4);
    return value;
}

std::string text(ByteSpan bytes, std::size_t offset) {
    if (offset >= bytes.size()) return {};
    const auto* start = reinterpret_cast<const char*>(bytes.data() + offset);
    return std::string(start, ::strnlen(start, bytes.size() - offset));
}

} // namespace

LoaderCache LoaderCache::read(const fs::path& file) {
    auto mapped = MappedFile::open(file);
    return mapped ? parse(mapped->bytes()) : LoaderCache();
}

LoaderCache LoaderCache::parse(ByteSpan bytes) {
    LoaderCache cache;
    if (bytes.size() < header_size || std::memcmp(bytes.data(), magic.data(), magic.size()) != 0)
        return cache;
    std::uint32_t count = word(bytes, magic.size());
    for (std::size_t i = 0; i < count; ++i) {
        std::size_t at = header_size + i * entry_size;
        if (at + entry_size > bytes.size()) break;
        std::uint64_t capabilities = word(bytes, at + 16) | (std::uint64_t(word(bytes, at + 20)) << 32);
        if (capabilities != 0) continue;
        cache.paths_[text(bytes, word(bytes, at + 4))].push_back(text(bytes, word(bytes, at + 8)));
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
