#pragma once

#include "support/files.h"

namespace omnistasis::native {

/// Gives a copy of an ELF file (64 bit, little-endian) the library search path `search_path` and no other.
///
/// The path goes into DT_RPATH, not DT_RUNPATH: the loader looks there before LD_LIBRARY_PATH, so that
/// nobody's environment can put another library in the place of a shipped one. The string table, and the
/// dynamic section where it has no entry to spare, move behind the last loaded segment's memory; that segment
/// grows, with its zeroed part written out, so no program header is added and no address changes. A file that
/// already has just this path comes back unchanged.
Result<Bytes> with_search_path(ByteSpan file, const std::string& search_path, const std::string& name);

} // namespace omnistasis::native
