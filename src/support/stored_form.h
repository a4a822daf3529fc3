#pragma once

#include <algorithm>
#include <cstdint>
#include <string>
#include <string_view>
#include <type_traits>
#include <unordered_map>
#include <vector>

namespace omnistasis {

// A form for results that caches keep. Both classes have the same calls, so that one function that visits the
// fields of a structure serves writing and reading.

/// Writes values one after the other: numbers as LEB128, texts with their size in front. A text that comes
/// again and again is written once, with `shared`.
class FormWriter {
  public:
    void value(const std::string& text) {
        number(text.size());
        bytes += text;
    }
    void shared(const std::string& text) {
        auto [at, is_new] = texts_.try_emplace(text, texts_.size());
        number(is_new ? 0 : at->second + 1);
        if (is_new) value(text);
    }
    void value(std::uint32_t number_value) { number(number_value); }
    void value(std::uint64_t number_value) { number(number_value); }
    void value(bool flag) { bytes += static_cast<char>(flag); }
    template <typename T>
    requires std::is_enum_v<T>
    void value(T word) { bytes += static_cast<char>(word); }
    std::size_t count(std::size_t size) {
        number(size);
        return size;
    }
    std::string bytes;

  private:
    void number(std::uint64_t value) {
        for (; value >= 0x80; value >>= 7) bytes += static_cast<char>(value | 0x80);
        bytes += static_cast<char>(value);
    }
    std::unordered_map<std::string, std::uint64_t> texts_; ///< the shared ones, and which one each is
};

/// Reads them back, from bytes that may be damaged: nothing is read beyond the end, and `complete` says
/// whether all of it fitted.
class FormReader {
  public:
    explicit FormReader(std::string_view bytes) : rest_(bytes) {}

    void value(std::string& text) {
        std::uint64_t size = number();
        if (size > rest_.size()) fail();
        text.assign(rest_.substr(0, size));
        rest_.remove_prefix(std::min<std::size_t>(size, rest_.size()));
    }
    void shared(std::string& text) {
        std::uint64_t which = number();
        if (which > texts_.size()) fail();
        if (!right_) return;
        if (which == 0) {
            value(text);
            texts_.push_back(text);
        } else {
            text = texts_[which - 1];
        }
    }
    void value(std::uint32_t& into) { into = static_cast<std::uint32_t>(number()); }
    void value(std::uint64_t& into) { into = number(); }
    void value(bool& flag) { flag = number() != 0; }
    template <typename T>
    requires std::is_enum_v<T>
    void value(T& word) { word = static_cast<T>(number()); }
    std::size_t count(std::size_t) {
        std::uint64_t size = number();
        if (size > rest_.size()) fail(); // each item has at least one byte
        return right_ ? static_cast<std::size_t>(size) : 0;
    }
    bool complete() const { return right_ && rest_.empty(); }

  private:
    void fail() {
        right_ = false;
        rest_ = {};
    }
    std::uint64_t number() {
        std::uint64_t value = 0;
        for (unsigned shift = 0; shift < 64 && !rest_.empty(); shift += 7) {
            auto byte = static_cast<unsigned char>(rest_.front());
            rest_.remove_prefix(1);
            value |= static_cast<std::uint64_t>(byte & 0x7f) << shift;
            if ((byte & 0x80) == 0) return value;
        }
        fail();
        return 0;
    }
    std::string_view rest_;
    std::vector<std::string> texts_; ///< the shared ones that came so far
    bool right_ = true;
};

/// Visits the items of a vector with `visit_one(archive, item)`.
template <typename Archive, typename List, typename VisitOne>
void visit_list(Archive& archive, List& list, VisitOne visit_one) {
    std::size_t count = archive.count(list.size());
    if constexpr (!std::is_const_v<List>) list.resize(count);
    for (auto& item : list) visit_one(archive, item);
}

/// The same for what may be there, with `visit_one(value)`.
template <typename Archive, typename Optional, typename VisitOne>
void visit_optional(Archive& archive, Optional& optional, VisitOne visit_one) {
    std::size_t count = archive.count(optional.has_value() ? 1 : 0);
    if constexpr (!std::is_const_v<Optional>)
        if (count != 0) optional.emplace();
    if (count != 0) visit_one(*optional);
}

} // namespace omnistasis
