#pragma once

#include "support/files.h"

#include <cstdint>

namespace omnistasis {

/// Unpacks an archive (tar, also compressed, or zip) into a folder. Nothing gets out of the folder: an entry with
/// an absolute path, with `..` in it or behind a link is an error, as is an archive that is cut off or larger than
/// `most` bytes when unpacked.
Result<void> unpack_archive(const fs::path& archive, const fs::path& folder, std::uint64_t most);

} // namespace omnistasis
