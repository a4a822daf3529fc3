#include "support/hash.h"

#include <cstdlib>
#include <memory>
#include <openssl/evp.h>
#include <xxhash.h>

namespace omnistasis {

Sha256 sha256(ByteSpan bytes) {
    // To look the algorithm up takes longer than to hash a name.
    static const EVP_MD* const algorithm = EVP_MD_fetch(nullptr, "SHA256", nullptr);
    thread_local const std::unique_ptr<EVP_MD_CTX, decltype(&EVP_MD_CTX_free)> context(EVP_MD_CTX_new(),
                                                                                       &EVP_MD_CTX_free);
    Sha256 digest{};
    if (EVP_DigestInit_ex2(context.get(), algorithm, nullptr) != 1 ||
        EVP_DigestUpdate(context.get(), bytes.data(), bytes.size()) != 1 ||
        EVP_DigestFinal_ex(context.get(), digest.data(), nullptr) != 1)
        std::abort(); // without it nothing that is written could be right
    return digest;
}

Sha256 sha256(std::string_view text) { return sha256(as_bytes(text)); }

Sha1 sha1(ByteSpan bytes) {
    Sha1 digest{};
    if (EVP_Digest(bytes.data(), bytes.size(), digest.data(), nullptr, EVP_sha1(), nullptr) != 1)
        std::abort();
    return digest;
}

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
