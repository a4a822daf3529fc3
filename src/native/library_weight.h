#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace omnistasis::native {

/// The size in bytes of the system's libraries that `files` need, and those need in turn, besides the ones
/// that `there` need: what carrying the files would bring along. Libraries are looked for where the loader's
/// cache has them; what it does not have weighs nothing.
std::uint64_t weight_of_new_libraries(const std::vector<std::string>& files,
                                      const std::vector<std::string>& there);

} // namespace omnistasis::native
