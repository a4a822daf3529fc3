#include "payload/signing_key.h"

#include "payload_format.h"

#include <openssl/evp.h>
#include <openssl/pem.h>

namespace omnistasis::payload {

namespace {

EVP_PKEY* pkey(const std::shared_ptr<void>& key) { return static_cast<EVP_PKEY*>(key.get()); }

const unsigned char* bytes_of(std::string_view text) {
    return reinterpret_cast<const unsigned char*>(text.data());
}

} // namespace

Result<SigningKey> SigningKey::read(const fs::path& file) {
    auto text = read_text(file);
    if (!text) return pass_on(text);
    BIO* input = BIO_new_mem_buf(text->data(), static_cast<int>(text->size()));
    // Nobody is asked for a passphrase in the middle of a build.
    auto no_passphrase = [](char*, int, int, void*) { return 0; };
    std::shared_ptr<void> key(PEM_read_bio_PrivateKey(input, nullptr, no_passphrase, nullptr),
                              [](void* one) { EVP_PKEY_free(static_cast<EVP_PKEY*>(one)); });
    BIO_free(input);
    const char* advice = "make one with: openssl genpkey -algorithm ed25519 -out publisher.key";
    if (key == nullptr)
        return fail(ErrorKind::bad_input, "the key for the signature can't be read", file.string(),
                    "it is no private key in PEM, or there is a passphrase on it", advice);
    if (EVP_PKEY_get_base_id(pkey(key)) != EVP_PKEY_ED25519)
        return fail(ErrorKind::bad_input, "the key for the signature is of another kind", file.string(),
                    "a private Ed25519 key is expected", advice);
    return SigningKey(std::move(key));
}

std::string SigningKey::public_key() const {
    std::string bytes(key_size, '\0');
    std::size_t size = bytes.size();
    EVP_PKEY_get_raw_public_key(pkey(key_), reinterpret_cast<unsigned char*>(bytes.data()), &size);
    return bytes;
}

std::string SigningKey::sign(std::string_view message) const {
    std::string signature(signature_size, '\0');
    std::size_t size = signature.size();
    EVP_MD_CTX* context = EVP_MD_CTX_new();
    EVP_DigestSignInit(context, nullptr, nullptr, nullptr, pkey(key_));
    EVP_DigestSign(context, reinterpret_cast<unsigned char*>(signature.data()), &size, bytes_of(message),
                   message.size());
    EVP_MD_CTX_free(context);
    return signature;
}

bool is_signed_by(std::string_view public_key, std::string_view message, std::string_view signature) {
    EVP_PKEY* key =
        EVP_PKEY_new_raw_public_key(EVP_PKEY_ED25519, nullptr, bytes_of(public_key), public_key.size());
    if (key == nullptr) return false;
    EVP_MD_CTX* context = EVP_MD_CTX_new();
    bool fits = EVP_DigestVerifyInit(context, nullptr, nullptr, nullptr, key) == 1 &&
                EVP_DigestVerify(context, bytes_of(signature), signature.size(), bytes_of(message),
                                 message.size()) == 1;
    EVP_MD_CTX_free(context);
    EVP_PKEY_free(key);
    return fits;
}

} // namespace omnistasis::payload
