#pragma once

#include "support/files.h"

#include <string>
#include <vector>

namespace omnistasis::native {

/// What a native file is for, by its first bytes (ELF, PE and Mach-O).
struct NativeKind {
    std::vector<std::string> targets; ///< names of targets; several in a universal file; empty: no native
                                      ///< file of a target that is known
    bool is_native = false;
    explicit operator bool() const { return is_native; }
    /// Whether it is for a target.
    bool fits(const std::string& target) const;
};

/// Nothing is native that can't be read.
NativeKind kind_of(const std::string& file);
NativeKind kind_of_bytes(ByteSpan bytes);

} // namespace omnistasis::native
