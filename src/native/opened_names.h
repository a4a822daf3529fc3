#pragma once

#include "support/files.h"

#include <string>
#include <vector>

namespace omnistasis::native {

/// The names of shared libraries (`libx.so.1`) that a native file holds as texts, where it can open libraries
/// by name (dlopen); each once, sorted. Names without a version number are left out: those are for linking.
std::vector<std::string> opened_names(ByteSpan file);

/// The same of a file for Windows or macOS: names that end with `.dll` or `.dylib`, as texts of one or two
/// bytes a character.
std::vector<std::string> opened_names_elsewhere(ByteSpan file);

} // namespace omnistasis::native
