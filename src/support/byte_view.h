#pragma once

#include "support/files.h"

#include <algorithm>
#include <bit>
#include <cstdint>
#include <cstring>
#include <string_view>

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

    /// The bytes up to a zero byte, `limit` (an offset) or the end. They stay where they are.
    std::string_view text(std::uint64_t from, std::uint64_t limit = ~0ull) const {
        limit = std::min<std::uint64_t>(limit, bytes_.size());
        if (from >= limit) return {};
        const auto* start = reinterpret_cast<const char*>(bytes_.data() + from);
        return {start, ::strnlen(start, limit - from)};
    }

    /// A part; empty where it is not inside.
    ByteSpan part(std::uint64_t offset, std::uint64_t size) const {
        return holds(offset, size) ? bytes_.subspan(offset, size) : ByteSpan();
    }

  private:
    ByteSpan bytes_;
    bool little_endian_ = true;
};

/// Reads a foreign file's names. In a hostile file they may lie over each other: all of them together are
/// bounded by twice the file's size, and what is beyond that is empty.
class NameReader {
  public:
    explicit NameReader(const ByteView& view) : view_(view), left_(2 * view.size() + 4096) {}

    /// As ByteView::text.
    std::string_view text(std::uint64_t from, std::uint64_t limit = ~0ull) {
        if (left_ == 0 || from >= limit) return {};
        if (limit - from > left_) limit = from + left_;
        std::string_view text = view_.text(from, limit);
        left_ -= std::min<std::uint64_t>(text.size() + least_cost, left_);
        return text;
    }

    bool is_used_up() const { return left_ == 0; }

  private:
    static constexpr std::uint64_t least_cost = 8; ///< an empty name takes an entry in some table, too

    ByteView view_;
    std::uint64_t left_; ///< bytes
};

} // namespace omnistasis
