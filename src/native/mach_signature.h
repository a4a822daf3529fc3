#pragma once

#include "support/error.h"
#include "support/files.h"
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

/// What is wrong with a thin file's ad-hoc signature; empty where it fits the file. Of a main program of a
/// bundle it covers `parts`, of other files these stay empty.
std::string wrong_with_seal(ByteSpan file, const SealedParts& parts);

} // namespace omnistasis::native
