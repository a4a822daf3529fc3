#pragma once

#include "support/files.h"

namespace omnistasis::native {

/// Gives a copy of an ELF file (32 or 64 bit, either byte order) the library search path `search_path` and no
/// other.
///
/// The path goes into DT_RPATH, not DT_RUNPATH: the loader looks there before LD_LIBRARY_PATH, so that
/// no environment can put another library in the place of a shipped one. It takes the place of the old
/// path where that has the room and no other name shares its bytes. Else the string table, and the dynamic
/// section where it has no entry to spare, move: behind the last loaded segment's memory, where that is small
/// and may be written; or into a segment that is added at the end of the file, together with the program
/// headers. No address of code or data changes. A file that already has just this path comes back unchanged.
///
/// A `first_library` becomes the first that the file needs: what it defines stands in front of what all
/// others do. It shall not be needed already.
Result<Bytes> with_search_path(ByteSpan file, const std::string& search_path, const std::string& name,
                               const std::string& first_library = {});

} // namespace omnistasis::native
