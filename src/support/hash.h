#pragma once

#include "support/files.h"

#include <array>
#include <string>

namespace omnistasis {

/// A SHA-256 digest (FIPS 180-4): 32 bytes.
using Sha256 = std::array<std::uint8_t, 32>;

Sha256 sha256(ByteSpan bytes);
Sha256 sha256(std::string_view text);

/// A SHA-1 digest (FIPS 180-4): only where a format of others asks for it, as it proves nothing any more.
using Sha1 = std::array<std::uint8_t, 20>;

Sha1 sha1(ByteSpan bytes);

/// XXH3 with 128 bits, as hexadecimal digits: detects damage at the speed of memory, but no manipulation.
std::string damage_check(ByteSpan bytes);

/// Lower-case hexadecimal digits, two a byte.
std::string hex(ByteSpan bytes);

} // namespace omnistasis
