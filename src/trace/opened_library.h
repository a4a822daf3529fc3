#pragma once

#include "trace/runtime.h"

#include <string>

namespace omnistasis::trace {

/// Adds to `out` a native library of the system that code opens by a name: a file's ("libx.so.1"), a link's
/// that only those have who build against it ("libx.so"), or the bare name ("x"). False where the loader
/// would not find it.
bool want_opened_library(const std::string& name, const Reason& reason, Expansion& out);

} // namespace omnistasis::trace
