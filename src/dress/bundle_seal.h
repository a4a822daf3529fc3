#pragma once

#include "support/error.h"

#include <filesystem>
#include <string>

namespace omnistasis::dress {

/// The bytes of `_CodeSignature/CodeResources` for a bundle ("Code Signing", resource rules of version 2):
/// the hash of each file below `contents` (its folder Contents), but for the main program, at `program` in
/// it, and the seal itself.
Result<std::string> bundle_seal(const std::filesystem::path& contents, const std::string& program);

} // namespace omnistasis::dress
