#pragma once

#include "support/files.h"

#include <memory>
#include <string>
#include <string_view>

namespace omnistasis::payload {

/// A publisher's private key for signatures (Ed25519, RFC 8032).
class SigningKey {
  public:
    /// Reads a private key in PEM (PKCS #8, RFC 8410), as `openssl genpkey -algorithm ed25519` writes it.
    /// Other keys, and keys behind a passphrase, are errors of the kind bad_input.
    static Result<SigningKey> read(const fs::path& file);

    std::string public_key() const;                   ///< 32 bytes
    std::string sign(std::string_view message) const; ///< 64 bytes; the same for the same message

  private:
    explicit SigningKey(std::shared_ptr<void> key) : key_(std::move(key)) {}
    std::shared_ptr<void> key_;
};

/// Whether a signature fits the message and the public key.
bool is_signed_by(std::string_view public_key, std::string_view message, std::string_view signature);

} // namespace omnistasis::payload
