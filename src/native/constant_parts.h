#pragma once

#include "support/files.h"

#include <vector>

namespace omnistasis::native {

/// The parts of a native file (ELF, PE, Mach-O) that hold its constants: what is loaded and is no code; of
/// Mach-O, whose texts lie beside the code, all of it. Empty for other files. They lie in the bytes given.
std::vector<ByteSpan> constant_parts(ByteSpan bytes);

} // namespace omnistasis::native
