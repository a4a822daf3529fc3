#include "support/file_hash.h"

#include "support/own_program.h"
#include "support/witness.h"

#include <algorithm>

namespace omnistasis {

std::optional<Sha256> file_hash(const std::string& file, Store& store) {
    bool settled = false;
    std::string key = Store::key_of("hash " + file_stamp(file, &settled) + '\0' + file);
    Sha256 hash{};
    Witness::saw(file);
    if (auto known = store.find(key); known && known->size() == hash.size()) {
        std::copy(known->begin(), known->end(), reinterpret_cast<char*>(hash.data()));
        return hash;
    }
    auto mapped = MappedFile::open(file);
    if (!mapped) return std::nullopt;
    hash = sha256(mapped->bytes());
    if (settled) store.keep(key, std::string(reinterpret_cast<const char*>(hash.data()), hash.size()));
    return hash;
}

} // namespace omnistasis
