// Bytes as text in base64 (RFC 4648).
#pragma once

#include "support/files.h"

#include <string>

namespace omnistasis {

/// With padding, in one line.
std::string base64(ByteSpan bytes);

} // namespace omnistasis
