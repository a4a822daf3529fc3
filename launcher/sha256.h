// SHA-256 (FIPS 180-4) for the launcher, which links no cryptographic library.
#pragma once

#include <stddef.h>
#include <stdint.h>

namespace omnistasis::launcher {

/// Writes the 32 bytes of the digest of `size` bytes.
void sha256(const void* data, size_t size, uint8_t digest[32]);

} // namespace omnistasis::launcher
