#pragma once

#include <cstdint>
#include <string>

namespace omnistasis {

/// Appends the lowest `width` bytes of `value`, the least significant first.
inline void put_little(std::string& out, std::uint64_t value, int width) {
    for (int i = 0; i < width; ++i) out += static_cast<char>(value >> (8 * i));
}

/// The same, the most significant first.
inline void put_big(std::string& out, std::uint64_t value, int width) {
    for (int i = width - 1; i >= 0; --i) out += static_cast<char>(value >> (8 * i));
}

/// Overwrites bytes of `out` that are there.
inline void set_little(std::string& out, std::size_t at, std::uint64_t value, int width) {
    for (int i = 0; i < width; ++i)
        out[at + static_cast<std::size_t>(i)] = static_cast<char>(value >> (8 * i));
}

} // namespace omnistasis
