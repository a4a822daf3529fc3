#pragma once

#include "support/files.h"

#include <cstdint>
#include <string>
#include <vector>

namespace omnistasis {

/// Unpacks an archive (tar, also compressed, or zip) into a folder. Nothing gets out of the folder: an entry
/// with an absolute path, with `..` in it or behind a link is an error, as is an archive that is cut off or
/// larger than `most` bytes when unpacked.
Result<void> unpack_archive(const fs::path& archive, const fs::path& folder, std::uint64_t most);

/// A new zip file, as bytes, with those members of another that are in
/// `members`, sorted names, in the archive's own order. They are stored as they are, without compression:
/// what takes the file compresses it better. A member that the archive does not have is an error.
Result<std::string> zip_with_members(const fs::path& zip, const std::vector<std::string>& members);

} // namespace omnistasis
