#pragma once

#include "support/files.h"

#include <cstdint>

namespace omnistasis {

/// Unpacks an archive (tar, also compressed, or zip) into a folder. Nothing gets out of the folder: an entry
/// with an absolute path, with `..` in it or behind a link is an error, as is an archive that is cut off or
/// larger than `most` bytes when unpacked.
Result<void> unpack_archive(const fs::path& archive, const fs::path& folder, std::uint64_t most);

/// Packs `name`, a file or folder in `folder`, into a new zip file that keeps modes and links. Equal content
/// gives equal bytes: entries are sorted, and have the time of SOURCE_DATE_EPOCH or of the beginning of 1980.
Result<void> pack_zip(const fs::path& folder, const std::string& name, const fs::path& zip);

} // namespace omnistasis
