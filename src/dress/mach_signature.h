#pragma once

#include "support/error.h"
#include "support/hash.h"

#include <string>

namespace omnistasis::dress {

/// What an ad-hoc signature covers besides the program itself.
struct SealedParts {
    std::string identifier;
    std::string information; ///< the bytes of Info.plist
    std::string resources;   ///< the bytes of _CodeSignature/CodeResources
};

/// A thin, 64-bit Mach-O program whose linker has left a signature at its end, with an ad-hoc signature that
/// also covers the bundle ("Code Signing", <kern/cs_blobs.h>: a code directory with SHA-256 of each page and
/// of the sealed parts, and an empty list of requirements).
Result<std::string> with_seal(std::string program, const SealedParts& parts);

} // namespace omnistasis::dress
