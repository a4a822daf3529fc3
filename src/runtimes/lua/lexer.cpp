#include "runtimes/lua/lexer.h"

#include "support/utf8.h"

#include <algorithm>
#include <array>
#include <charconv>

namespace omnistasis::lua {

namespace {

bool is_digit(char c) { return c >= '0' && c <= '9'; }
bool is_in_name(char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || is_digit(c) || c == '_' ||
           static_cast<unsigned char>(c) >= 0x80; // LuaJIT takes such bytes
}
int hex_value(char c) {
    if (is_digit(c)) return c - '0';
    if (c >= 'a' && c <= 'f') return c - 'a' + 10;
    if (c >= 'A' && c <= 'F') return c - 'A' + 10;
    return -1;
}

class Lexer {
  public:
    explicit Lexer(std::string_view text) : text_(text) {
        if (text_.starts_with("\xEF\xBB\xBF")) at_ = 3;
        if (peek() == '#') skip_line();
    }

    std::vector<Token> all() {
        std::vector<Token> tokens;
        while (skip_space()) {
            Token& token = tokens.emplace_back();
            token.line = line_;
            read(token);
        }
        return tokens;
    }

  private:
    char peek(std::size_t ahead = 0) const { return at_ + ahead < text_.size() ? text_[at_ + ahead] : '\0'; }
    bool at_end() const { return at_ >= text_.size(); }

    void skip_line() {
        while (!at_end() && text_[at_] != '\n') ++at_;
    }

    /// To the next token; false at the end.
    bool skip_space() {
        while (!at_end()) {
            char c = text_[at_];
            if (c == '\n') {
                ++line_;
                ++at_;
            } else if (c == ' ' || c == '\t' || c == '\r' || c == '\f' || c == '\v') {
                ++at_;
            } else if (c == '-' && peek(1) == '-') {
                at_ += 2;
                if (long_bracket_level() >= 0)
                    read_long_bracket();
                else
                    skip_line();
            } else {
                return true;
            }
        }
        return false;
    }

    /// How many `=` stand in a long bracket that opens here; -1 where none does.
    int long_bracket_level() const {
        if (peek() != '[') return -1;
        std::size_t level = 0;
        while (peek(1 + level) == '=') ++level;
        return peek(1 + level) == '[' ? static_cast<int>(level) : -1;
    }

    /// The content of the long bracket that opens here. A line break at its beginning does not count.
    std::string read_long_bracket() {
        auto level = static_cast<std::size_t>(long_bracket_level());
        at_ += level + 2;
        std::string closing = "]" + std::string(level, '=') + "]";
        std::size_t end = std::min(text_.find(closing, at_), text_.size());
        std::string_view content = text_.substr(at_, end - at_);
        line_ += static_cast<std::uint32_t>(std::ranges::count(content, '\n'));
        at_ = std::min(end + closing.size(), text_.size());
        if (content.starts_with("\r\n"))
            content.remove_prefix(2);
        else if (content.starts_with("\n"))
            content.remove_prefix(1);
        return std::string(content);
    }

    void read(Token& token) {
        char c = text_[at_];
        if (is_digit(c) || (c == '.' && is_digit(peek(1)))) return read_number(token);
        if (is_in_name(c)) {
            token.kind = Token::Kind::name;
            std::size_t start = at_;
            while (!at_end() && is_in_name(text_[at_])) ++at_;
            token.text = text_.substr(start, at_ - start);
            return;
        }
        if (c == '"' || c == '\'') return read_string(token);
        if (long_bracket_level() >= 0) {
            token.kind = Token::Kind::string;
            token.text = read_long_bracket();
            return;
        }
        token.kind = Token::Kind::sign;
        static constexpr std::array<std::string_view, 10> long_signs{
            "...", "..", "==", "~=", "<=", ">=", "//", "::", "<<", ">>"};
        for (std::string_view sign : long_signs)
            if (text_.substr(at_).starts_with(sign)) {
                token.text = sign;
                at_ += sign.size();
                return;
            }
        token.text = c;
        ++at_;
    }

    /// A number goes on with letters and digits, and with a sign behind an exponent's letter.
    void read_number(Token& token) {
        token.kind = Token::Kind::number;
        std::size_t start = at_;
        bool is_hex = peek() == '0' && (peek(1) == 'x' || peek(1) == 'X');
        while (!at_end()) {
            char c = text_[at_], before = at_ > start ? text_[at_ - 1] : '\0';
            bool behind_exponent = is_hex ? before == 'p' || before == 'P' : before == 'e' || before == 'E';
            bool goes_on =
                is_in_name(c) || (c == '.' && peek(1) != '.') || ((c == '+' || c == '-') && behind_exponent);
            if (!goes_on) break;
            ++at_;
        }
        token.text = text_.substr(start, at_ - start);
    }

    void read_string(Token& token) {
        token.kind = Token::Kind::string;
        char quote = text_[at_++];
        while (!at_end() && text_[at_] != quote && text_[at_] != '\n') {
            if (text_[at_] == '\\')
                read_escape(token.text);
            else
                token.text += text_[at_++];
        }
        if (peek() == quote) ++at_;
    }

    void read_escape(std::string& out) {
        ++at_;
        if (at_end()) return;
        char c = text_[at_++];
        static constexpr std::string_view letters = "abfnrtv", values = "\a\b\f\n\r\t\v";
        if (auto known = letters.find(c); known != std::string_view::npos) {
            out += values[known];
        } else if (c == '\n') {
            ++line_;
            out += c;
        } else if (c == 'z') {
            while (!at_end() && (text_[at_] == '\n' || text_[at_] == ' ' || text_[at_] == '\t' ||
                                 text_[at_] == '\r' || text_[at_] == '\f' || text_[at_] == '\v'))
                line_ += text_[at_++] == '\n';
        } else if (c == 'x') {
            int first = hex_value(peek()), second = hex_value(peek(1));
            if (first < 0 || second < 0) return;
            out += static_cast<char>(first * 16 + second);
            at_ += 2;
        } else if (c == 'u' && peek() == '{') {
            std::size_t end = text_.find('}', at_);
            if (end == std::string_view::npos) return;
            std::uint32_t code = 0;
            std::from_chars(text_.data() + at_ + 1, text_.data() + end, code, 16);
            append_utf8(out, code);
            at_ = end + 1;
        } else if (is_digit(c)) {
            int value = c - '0';
            for (int i = 0; i < 2 && is_digit(peek()); ++i) value = value * 10 + (text_[at_++] - '0');
            out += static_cast<char>(value);
        } else {
            out += c;
        }
    }

    std::string_view text_;
    std::size_t at_ = 0;
    std::uint32_t line_ = 1;
};

} // namespace

std::vector<Token> tokens_of(std::string_view source) { return Lexer(source).all(); }

} // namespace omnistasis::lua
