#pragma once

#include "support/files.h"

#include <string>
#include <vector>

namespace omnistasis::python {

/// The strings that modules compiled by Cython (3.2 and later) keep in one compressed table: names, also
/// those of the modules that they import, and texts.
struct CythonStrings {
    std::vector<std::string> strings; ///< empty where their lengths were not found
    std::string
        table; ///< all of them, one behind the other; of Cython's own compression the end may be wrong
};

/// `constants` are the parts of a file that are mapped and not executed. Both empty where there is no table,
/// or none that can be read.
CythonStrings cython_strings(const std::vector<ByteSpan>& constants);

/// Unpacks Cython's own compression (LZSS with a flag byte for each eight items, lowest bit first: 1 is a
/// byte as it is, 0 a reference back in two or three bytes) up to the first item that can't be right, or
/// `most` bytes.
std::string unpack_lzss(ByteSpan packed, std::size_t most);

} // namespace omnistasis::python
