#include "support/file_hash.h"

#include "support/kept_of_file.h"

#include <cstring>

namespace omnistasis {

std::optional<Sha256> file_hash(const std::string& file, Store& store) {
    return kept_of_file(
        file, "hash", store, [](ByteSpan content) { return sha256(content); },
        [](auto& archive, Sha256& hash) {
            std::array<std::uint64_t, 4> words{};
            static_assert(sizeof words == sizeof hash);
            std::memcpy(words.data(), hash.data(), sizeof hash);
            for (std::uint64_t& word : words) archive.value(word);
            std::memcpy(hash.data(), words.data(), sizeof hash);
        });
}

} // namespace omnistasis
