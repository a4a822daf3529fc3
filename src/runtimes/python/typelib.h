#pragma once

#include "support/files.h"

#include <optional>
#include <string>
#include <vector>

namespace omnistasis::python {

/// What a compiled introspection description (GObject introspection, "GIRepository typelib format") says
/// about what it needs.
struct Typelib {
    std::vector<std::string> dependencies; ///< as "GObject-2.0"
    std::vector<std::string> libraries;    ///< names of shared libraries that are opened with it
};

/// Reads the header of a typelib; nothing where the bytes are none.
std::optional<Typelib> read_typelib(ByteSpan bytes);

/// The typelib file of a namespace: of one of the `versions` where there is such, else of the newest version.
/// Empty where none is installed.
std::string find_typelib(const std::string& name, const std::vector<std::string>& versions);

} // namespace omnistasis::python
