// A folder as one zip file (APPNOTE.TXT), for handing over.
#pragma once

#include "support/files.h"
#include "support/store.h"

#include <string>

namespace omnistasis {

/// Packs `name`, a file or folder in `folder`, into a new zip file that keeps modes and links. Equal content
/// gives equal bytes on any machine: entries are sorted, and all have the format's first time. Files are
/// compressed on all cores, and what comes out is kept in `store`: of a folder that was packed before, only
/// what has changed is compressed again.
Result<void> pack_zip(const fs::path& folder, const std::string& name, const fs::path& zip, Store& store);

} // namespace omnistasis
