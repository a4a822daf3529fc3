#pragma once

#include "support/error.h"
#include "support/hash.h"

#include <string>

namespace omnistasis::native {

/// What an ad-hoc signature covers besides the file itself.
struct SealedParts {
    std::string identifier;
    std::string information{}; ///< the bytes of a bundle's Info.plist; empty: none
    std::string resources{};   ///< the bytes of its _CodeSignature/CodeResources; empty: none
};

/// A thin, 64-bit Mach-O file with an ad-hoc signature in place of whatever signature it had ("Code Signing",
/// <kern/cs_blobs.h>: a code directory with SHA-256 of each page and of the sealed parts, and an empty list
/// of requirements). `name` stands in errors.
Result<std::string> with_seal(std::string file, const SealedParts& parts, const std::string& name);

} // namespace omnistasis::native
