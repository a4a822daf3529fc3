#pragma once

#include "support/files.h"

#include <algorithm>
#include <bit>
#include <cstdint>
#include <cstring>
#include <string>

namespace omnistasis {

/// Bytes of a foreign file, read as numbers and texts at offsets. Nothing is read outside of them: what would
/// be is 0 or empty, and `holds` says beforehand whether a range is inside.
class ByteView {
  public:
    ByteView() = default;
    explicit ByteView(ByteSpan bytes, bool little_endian = true)
        : bytes_(bytes), little_endian_(little_endian) {}

    std::uint64_t size() const { return bytes_.size(); }
    bool holds(std::uint64_t offset, std::uint64_t size) const {
        return offset <= bytes_.size() && size <= bytes_.size() - offset;
    }

    /// An unsigned number of 1 to 8 bytes.
    std::uint64_t number(std::uint64_t offset, unsigned width) const {
        if (!holds(offset, width)) return 0;
        std::uint64_t value = 0;
        if (little_endian_ && std::endian::native == std::endian::little) {
            std::memcpy(&value, bytes_.data() + offset, width);
            return value;
        }
        for (unsigned i = 0; i < width; ++i) {
            unsigned shift = little_endian_ ? i : width - 1 - i;
            value |= static_cast<std::uint64_t>(bytes_[offset + i]) << (8 * shift);
        }
        return value;
    }
    std::uint8_t byte(std::uint64_t offset) const { return static_cast<std::uint8_t>(number(offset, 1)); }
    std::uint16_t half(std::uint64_t offset) const { return static_cast<std::uint16_t>(number(offset, 2)); }
    std::uint32_t word(std::uint64_t offset) const { return static_cast<std::uint32_t>(number(offset, 4)); }
    std::uint64_t quad(std::uint64_t offset) const { return number(offset, 8); }

    /// The bytes up to a zero byte, `limit` (an offset) or the end.
    std::string text(std::uint64_t from, std::uint64_t limit = ~0ull) const {
        limit = std::min<std::uint64_t>(limit, bytes_.size());
        if (from >= limit) return {};
        const auto* start = reinterpret_cast<const char*>(bytes_.data() + from);
        return std::string(start, ::strnlen(start, limit - from));
    }

    /// A part; empty where it is not inside.
    ByteSpan part(std::uint64_t offset, std::uint64_t size) const {
        return holds(offset, size) ? bytes_.subspan(offset, size) : ByteSpan();
    }

  private:
    ByteSpan bytes_;
    bool little_endian_ = true;
};

} // namespace omnistasis
