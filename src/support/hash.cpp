#include "support/hash.h"

#include <openssl/sha.h>
#include <xxhash.h>

namespace omnistasis {

Sha256 sha256(ByteSpan bytes) {
    Sha256 digest{};
    SHA256(bytes.data(), bytes.size(), digest.data());
    return digest;
}

Sha256 sha256(std::string_view text) { return sha256(as_bytes(text)); }

std::string damage_check(ByteSpan bytes) {
    XXH128_canonical_t digits;
    XXH128_canonicalFromHash(&digits, XXH3_128bits(bytes.data(), bytes.size()));
    return hex(digits.digest);
}

std::string hex(ByteSpan bytes) {
    static constexpr char digits[] = "0123456789abcdef";
    std::string text;
    text.reserve(bytes.size() * 2);
    for (std::uint8_t byte : bytes) {
        text += digits[byte >> 4];
        text += digits[byte & 15];
    }
    return text;
}

} // namespace omnistasis
