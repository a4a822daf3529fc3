#include "runtimes/python/marshal.h"

#include "support/byte_writer.h"

#include <algorithm>
#include <cctype>
#include <cstring>
#include <vector>

namespace omnistasis::python {

void MarshalWriter::word(std::uint32_t value) { put_little(bytes_, value, 4); }

void MarshalWriter::text(std::string_view value) {
    bytes_ += 'u';
    word(static_cast<std::uint32_t>(value.size()));
    bytes_ += value;
}

void MarshalWriter::number(std::int64_t value) {
    if (value >= INT32_MIN && value <= INT32_MAX) {
        bytes_ += 'i';
        word(static_cast<std::uint32_t>(value));
        return;
    }
    // A long: digits of 15 bits, least first, the sign in their count.
    std::uint64_t rest =
        value < 0 ? ~static_cast<std::uint64_t>(value) + 1 : static_cast<std::uint64_t>(value);
    std::string digits;
    std::int32_t count = 0;
    for (; rest != 0; rest >>= 15, ++count) {
        digits += static_cast<char>(rest & 0xFF);
        digits += static_cast<char>((rest >> 8) & 0x7F);
    }
    bytes_ += 'l';
    word(static_cast<std::uint32_t>(value < 0 ? -count : count));
    bytes_ += digits;
}

void MarshalWriter::tuple(std::uint32_t size) {
    bytes_ += '(';
    word(size);
}

void MarshalWriter::list(std::uint32_t size) {
    bytes_ += '[';
    word(size);
}

namespace {

constexpr char flag_ref = static_cast<char>(0x80);
/// The interpreter's own reader refuses deeper nesting.
constexpr int deepest = 2000;

/// Walks marshalled bytes twice: first to see which marked objects are referred to, then to write them out
/// with just those marked and numbered anew.
class Canonicalizer {
  public:
    Canonicalizer(std::string_view bytes, std::string_view new_name, bool has_new_code)
        : bytes_(bytes), new_name_(new_name), has_new_code_(has_new_code) {}

    std::string run() {
        if (!walk_all()) return {};
        writes_ = true;
        renumbered_.assign(marked_, 0);
        std::uint32_t next = 0;
        for (std::size_t i = 0; i < marked_; ++i)
            if (used_[i]) renumbered_[i] = next++;
        return walk_all() ? std::move(out_) : std::string();
    }

  private:
    bool walk_all() {
        position_ = 0;
        marked_ = 0;
        return object(0) && position_ == bytes_.size();
    }

    bool take(std::size_t size) {
        if (size > bytes_.size() - position_) return false;
        if (writes_) out_.append(bytes_, position_, size);
        position_ += size;
        return true;
    }

    std::uint32_t number_at(std::size_t position, std::size_t width) const {
        std::uint32_t value = 0;
        for (std::size_t i = 0; i < width; ++i)
            value |= std::uint32_t(static_cast<unsigned char>(bytes_[position + i])) << (8 * i);
        return value;
    }

    bool take_count(std::uint32_t& value, std::size_t width) {
        if (width > bytes_.size() - position_) return false;
        value = number_at(position_, width);
        return take(width);
    }

    bool objects(std::uint64_t count, int depth) {
        for (std::uint64_t i = 0; i < count; ++i)
            if (!object(depth)) return false;
        return true;
    }

    bool reference() {
        if (bytes_.size() - position_ < 4) return false;
        std::uint32_t index = 0;
        std::memcpy(&index, bytes_.data() + position_, 4);
        position_ += 4;
        if (index >= marked_) return false;
        if (!writes_) {
            used_[index] = true;
            return true;
        }
        out_ += 'r';
        put_little(out_, renumbered_[index], 4);
        return true;
    }

    /// A text that is no name is shared within an interpreter or not by what that did before, and code that
    /// is loaded is the same either way: it is written as one that is not.
    char shown_type(char type) const {
        if (type != 'Z' && type != 'A') return type;
        std::size_t width = type == 'Z' ? 1 : 4, start = position_ + width;
        if (start > bytes_.size()) return type;
        std::string_view text = bytes_.substr(start, number_at(position_, width));
        bool is_name =
            std::ranges::all_of(text, [](unsigned char c) { return std::isalnum(c) != 0 || c == '_'; });
        return is_name ? type : type == 'Z' ? 'z' : 'a';
    }

    bool object(int depth) {
        if (depth > deepest || position_ >= bytes_.size()) return false;
        char type = bytes_[position_++];
        bool marked = (type & flag_ref) != 0;
        type = static_cast<char>(type & 0x7F);
        if (type == 'r') return reference();
        std::size_t index = marked_;
        if (marked) {
            if (!writes_) used_.push_back(false);
            ++marked_;
        }
        if (writes_) {
            char written = shown_type(type);
            out_ += marked && used_[index] ? static_cast<char>(written | flag_ref) : written;
        }
        std::uint32_t count = 0;
        switch (type) {
        case 'N':
        case 'F':
        case 'T':
        case 'S':
        case '.':
            return true;
        case 'i':
            return take(4);
        case 'I':
        case 'g':
            return take(8);
        case 'y':
            return take(16);
        case 'l': {
            if (!take_count(count, 4)) return false;
            auto digits = static_cast<std::int32_t>(count);
            return take(2 *
                        static_cast<std::size_t>(digits < 0 ? -static_cast<std::int64_t>(digits) : digits));
        }
        case 's':
        case 't':
        case 'u':
        case 'a':
        case 'A':
            return take_count(count, 4) && take(count);
        case 'z':
        case 'Z':
            return take_count(count, 1) && take(count);
        case ')':
            return take_count(count, 1) && objects(count, depth + 1);
        case '(':
        case '[':
        case '<':
        case '>':
            return take_count(count, 4) && objects(count, depth + 1);
        case ':':
            return objects(3, depth + 1);
        case '{':
            return dictionary(depth);
        case 'c':
            return code(depth);
        default:
            return false;
        }
    }

    bool dictionary(int depth) {
        while (position_ < bytes_.size() && bytes_[position_] != '0')
            if (!object(depth + 1) || !object(depth + 1)) return false;
        return take(1);
    }

    /// The layout changed with 3.11: before, six numbers, eight objects, a line and one object; since
    /// then five numbers, eight objects, a line and two.
    bool code(int depth) {
        std::size_t numbers = has_new_code_ ? 5 : 6;
        if (!take(4 * numbers)) return false;
        std::size_t before = has_new_code_ ? 5 : 6;
        if (!objects(before, depth + 1) || !file_name(depth + 1) || !objects(7 - before, depth + 1))
            return false;
        return take(4) && objects(has_new_code_ ? 2 : 1, depth + 1);
    }

    /// A code object's file name: all in one file have the same.
    bool file_name(int depth) {
        if (new_name_.empty() || position_ >= bytes_.size()) return object(depth);
        char type = static_cast<char>(bytes_[position_] & 0x7F);
        if (type == 'r') return object(depth);
        bool marked = (bytes_[position_] & flag_ref) != 0, wrote = writes_;
        std::size_t index = marked_, start = position_;
        if (std::string_view("aAzZut").find(type) == std::string_view::npos) return false;
        writes_ = false;
        bool right = object(depth);
        writes_ = wrote;
        if (!right) return false;
        std::size_t head = type == 'z' || type == 'Z' ? 2 : 5;
        std::string_view name = bytes_.substr(start + head, position_ - start - head);
        if (old_name_.empty()) old_name_ = name;
        if (name != old_name_) return false;
        if (!writes_) return true;
        bool interned = type == 'A' || type == 'Z' || type == 't';
        bool ascii = std::ranges::none_of(new_name_, [](char c) { return (c & 0x80) != 0; });
        bool is_short = ascii && new_name_.size() < 256;
        type = is_short ? 'z' : ascii ? 'a' : 'u';
        if (interned) type = is_short ? 'Z' : ascii ? 'A' : 't';
        out_ += marked && used_[index] ? static_cast<char>(type | flag_ref) : type;
        put_little(out_, new_name_.size(), is_short ? 1 : 4);
        out_ += new_name_;
        return true;
    }

    std::string_view bytes_, new_name_, old_name_;
    bool has_new_code_;
    std::size_t position_ = 0;
    std::size_t marked_ = 0;
    std::vector<bool> used_;
    std::vector<std::uint32_t> renumbered_;
    bool writes_ = false;
    std::string out_;
};

} // namespace

std::string canonical_marshal(std::string_view bytes, std::string_view file_name) {
    for (bool new_code : {true, false})
        if (std::string result = Canonicalizer(bytes, file_name, new_code).run(); !result.empty())
            return result;
    return {};
}

} // namespace omnistasis::python
