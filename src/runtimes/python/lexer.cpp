#include "runtimes/python/lexer.h"

#include "support/utf8.h"

#include <array>
#include <charconv>

namespace omnistasis::python {

namespace {

/// Nested format fields beyond this depth are read as text; no interpreter accepts that many.
constexpr std::uint32_t deepest_nesting = 64;

struct CharacterClasses {
    std::array<bool, 256> name_start{};
    std::array<bool, 256> name_part{};
    constexpr CharacterClasses() {
        for (int c = 0; c < 256; ++c) {
            bool letter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_' || c >= 0x80;
            name_start[static_cast<std::size_t>(c)] = letter;
            name_part[static_cast<std::size_t>(c)] = letter || (c >= '0' && c <= '9');
        }
    }
};
constexpr CharacterClasses classes;

bool starts_name(char c) { return classes.name_start[static_cast<unsigned char>(c)]; }
bool continues_name(char c) { return classes.name_part[static_cast<unsigned char>(c)]; }
bool is_digit(char c) { return c >= '0' && c <= '9'; }

} // namespace

Lexer::Lexer(std::string_view source) : source_(source) {
    if (source_.starts_with("\xEF\xBB\xBF")) position_ = 3;
}

void Lexer::skip_to_line_end() {
    std::size_t end = source_.find('\n', position_);
    position_ = end == std::string_view::npos ? source_.size() : end;
}

std::uint32_t Lexer::measure_indent() {
    std::uint32_t column = 0;
    for (;; ++position_) {
        char c = at(position_);
        if (c == ' ')
            ++column;
        else if (c == '\t')
            column = (column / 8 + 1) * 8;
        else if (c == '\f')
            column = 0;
        else
            return column;
        if (position_ >= source_.size()) return column;
    }
}

bool Lexer::starts_string(std::size_t& prefix_length) const {
    for (prefix_length = 0; prefix_length <= 2; ++prefix_length) {
        char c = at(position_ + prefix_length);
        if (c == '"' || c == '\'') return true;
        char lower = static_cast<char>(c | 0x20);
        if (lower != 'r' && lower != 'b' && lower != 'u' && lower != 'f' && lower != 't') return false;
    }
    return false;
}

Token Lexer::read_string(std::size_t prefix_length) {
    Token token;
    token.kind = TokenKind::string;
    token.line = line_;
    for (std::size_t i = 0; i < prefix_length; ++i) {
        char lower = static_cast<char>(at(position_ + i) | 0x20);
        token.raw |= lower == 'r';
        token.bytes |= lower == 'b';
        token.formatted |= lower == 'f' || lower == 't';
    }
    std::size_t start = position_ + prefix_length;
    char quote = at(start);
    bool triple = at(start + 1) == quote && at(start + 2) == quote;
    std::size_t width = triple ? 3 : 1;
    std::size_t end = find_string_end(start + width, quote, triple, token.formatted, token.raw);
    token.text = source_.substr(start + width, end - start - width);
    for (char c : token.text) line_ += c == '\n';
    position_ = end;
    if (at(position_) == quote) position_ += width;
    return token;
}

/// The offset of the closing quote, or of where an unclosed string stops.
std::size_t Lexer::find_string_end(std::size_t from, char quote, bool triple, bool formatted, bool raw) {
    std::size_t i = from;
    while (i < source_.size()) {
        char c = source_[i];
        if (c == '\\') {
            // A named character (\N{...}) is no replacement field.
            if (formatted && !raw && at(i + 1) == 'N' && at(i + 2) == '{') {
                std::size_t close = source_.find_first_of("}\n", i);
                i = close == std::string_view::npos ? source_.size() : close + (source_[close] == '}');
            } else if (formatted && at(i + 1) == '{') {
                i += 1;
            } else {
                i += 2;
            }
        } else if (c == quote) {
            if (!triple) return i;
            if (at(i + 1) == quote && at(i + 2) == quote) return i;
            ++i;
        } else if (c == '\n' && !triple) {
            return i;
        } else if (formatted && c == '{') {
            i = at(i + 1) == '{' ? i + 2 : skip_replacement_field(i + 1, quote, triple);
        } else {
            ++i;
        }
    }
    return source_.size();
}

/// From behind an opening brace to behind its closing one: the expression may hold strings, also of the same
/// quote (PEP 701), and a format part that may hold fields again.
std::size_t Lexer::skip_replacement_field(std::size_t from, char quote, bool triple) {
    if (nesting_ >= deepest_nesting) return from;
    ++nesting_;
    std::size_t i = from;
    std::uint32_t depth = 0;
    while (i < source_.size()) {
        char c = source_[i];
        if (c == '}' && depth == 0) {
            ++i;
            break;
        }
        if (c == '\n' && !triple && depth == 0 && nesting_ == 1) {
            // Before 3.12 a field could not span lines; from 3.12 it can. An unclosed one is an error in
            // both, so looking for its end within the expression is right wherever the source compiles.
            ++i;
        } else if (c == '(' || c == '[' || c == '{') {
            ++depth;
            ++i;
        } else if (c == ')' || c == ']' || c == '}') {
            if (depth > 0) --depth;
            ++i;
        } else if (c == '"' || c == '\'') {
            bool inner_triple = at(i + 1) == c && at(i + 2) == c;
            // An unclosed field: the quote that ends the outer string comes first.
            if (c == quote && inner_triple == triple && source_.find('}', i) == std::string_view::npos) break;
            bool inner_formatted = false;
            bool inner_raw = false;
            for (std::size_t back = 1; back <= 2 && i >= from + back; ++back) {
                char prefix = static_cast<char>(source_[i - back] | 0x20);
                inner_formatted |= prefix == 'f';
                inner_raw |= prefix == 'r';
                if (prefix != 'f' && prefix != 'r' && prefix != 'b') break;
            }
            std::size_t width = inner_triple ? 3 : 1;
            i = find_string_end(i + width, c, inner_triple, inner_formatted, inner_raw);
            if (at(i) == c) i += width;
        } else if (c == ':' && depth == 0) {
            // The format part is text, with fields in it.
            for (++i; i < source_.size() && source_[i] != '}';) {
                if (source_[i] == quote && !triple) break;
                i = source_[i] == '{' ? skip_replacement_field(i + 1, quote, triple) : i + 1;
            }
        } else if (c == '#') {
            std::size_t end = source_.find('\n', i);
            if (!triple && end != std::string_view::npos && source_.find('}', end) == std::string_view::npos)
                break;
            i = end == std::string_view::npos ? source_.size() : end;
        } else {
            ++i;
        }
    }
    --nesting_;
    return i;
}

bool Lexer::next_line(std::vector<Token>& tokens) {
    tokens.clear();
    std::uint32_t depth = 0;
    bool at_line_start = true;
    while (position_ < source_.size()) {
        if (at_line_start) {
            std::uint32_t column = measure_indent();
            if (tokens.empty()) indent_ = column;
            at_line_start = false;
            continue;
        }
        char c = source_[position_];
        if (c == ' ' || c == '\t' || c == '\f' || c == '\r') {
            ++position_;
        } else if (c == '\n') {
            ++position_;
            ++line_;
            if (depth == 0 && !tokens.empty()) return true;
            at_line_start = true;
        } else if (c == '#') {
            skip_to_line_end();
        } else if (c == '\\' &&
                   (at(position_ + 1) == '\n' || (at(position_ + 1) == '\r' && at(position_ + 2) == '\n'))) {
            position_ += at(position_ + 1) == '\n' ? 2 : 3;
            ++line_;
        } else if (std::size_t prefix = 0;
                   (starts_name(c) || c == '"' || c == '\'') && starts_string(prefix)) {
            tokens.push_back(read_string(prefix));
        } else if (starts_name(c)) {
            std::size_t start = position_;
            while (position_ < source_.size() && continues_name(source_[position_])) ++position_;
            tokens.push_back(
                {TokenKind::name, false, false, false, line_, source_.substr(start, position_ - start)});
        } else if (is_digit(c) || (c == '.' && is_digit(at(position_ + 1)))) {
            std::size_t start = position_;
            while (position_ < source_.size() &&
                   (continues_name(source_[position_]) || source_[position_] == '.' ||
                    ((source_[position_] == '+' || source_[position_] == '-') &&
                     (source_[position_ - 1] | 0x20) == 'e' && at(start + 1) != 'x' && at(start + 1) != 'X')))
                ++position_;
            tokens.push_back(
                {TokenKind::number, false, false, false, line_, source_.substr(start, position_ - start)});
        } else {
            if (c == '(' || c == '[' || c == '{')
                ++depth;
            else if ((c == ')' || c == ']' || c == '}') && depth > 0)
                --depth;
            std::size_t width = 1;
            char next = at(position_ + 1);
            if (c == '.' && next == '.' && at(position_ + 2) == '.')
                width = 3;
            else if (next == '=' && std::string_view("=!<>:+-*/%&|^@").find(c) != std::string_view::npos)
                width = 2;
            else if ((c == '-' && next == '>') || (c == '*' && next == '*') || (c == '/' && next == '/'))
                width = 2;
            tokens.push_back({TokenKind::op, false, false, false, line_, source_.substr(position_, width)});
            position_ += width;
        }
    }
    return !tokens.empty();
}

std::string string_value(const Token& token) {
    if (token.raw || token.text.find('\\') == std::string_view::npos) return std::string(token.text);
    std::string value;
    for (std::size_t i = 0; i < token.text.size(); ++i) {
        char c = token.text[i];
        if (c != '\\' || i + 1 == token.text.size()) {
            value += c;
            continue;
        }
        char kind = token.text[++i];
        auto number = [&](std::size_t digits, int base) {
            std::uint32_t code = 0;
            auto text = token.text.substr(i + 1, digits);
            auto end = std::from_chars(text.data(), text.data() + text.size(), code, base).ptr;
            i += static_cast<std::size_t>(end - text.data());
            append_utf8(value, code);
        };
        switch (kind) {
        case '\n':
            break;
        case 'n':
            value += '\n';
            break;
        case 't':
            value += '\t';
            break;
        case 'r':
            value += '\r';
            break;
        case '\\':
        case '\'':
        case '"':
            value += kind;
            break;
        case 'x':
            number(2, 16);
            break;
        case 'u':
            number(4, 16);
            break;
        case 'U':
            number(8, 16);
            break;
        default:
            if (kind >= '0' && kind <= '7') {
                --i;
                number(3, 8);
            } else {
                value += '\\';
                value += kind;
            }
        }
    }
    return value;
}

} // namespace omnistasis::python
