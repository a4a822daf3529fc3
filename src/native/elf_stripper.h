#pragma once

#include "support/files.h"

#include <string>

namespace omnistasis::native {

/// A copy of an ELF file without what only debuggers and linkers read: debugging information and the table of
/// all symbols. What the loader uses stays, byte for byte; of the section headers those of loaded sections
/// stay. A file that has nothing to take away, has parts that the program may read out of its own file, or is
/// put together in an unusual way, comes back unchanged.
Result<Bytes> without_debug_symbols(ByteSpan file, const std::string& name);

} // namespace omnistasis::native
