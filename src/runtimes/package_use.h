#pragma once

#include <cstddef>
#include <cstdint>

namespace omnistasis {

/// What a store of packages for other systems holds, and what of it has not been used for a while.
struct PackageUse {
    std::size_t packages = 0;
    std::uint64_t bytes = 0; ///< of files, each counted once
    std::size_t idle_packages = 0;
    std::uint64_t idle_bytes = 0;
};

} // namespace omnistasis
