#pragma once

#include <cstdint>
#include <cstring>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::node {

/// The same as `==`; most words differ in length, and the others are compared without a call.
template <std::size_t Size> bool is(std::string_view word, const char (&text)[Size]) {
    return word.size() == Size - 1 && std::memcmp(word.data(), text, Size - 1) == 0;
}

/// Whether a character goes on with a name.
bool is_in_name(char c);

/// One token of JavaScript (ECMA-262, 13th edition, chapter 12). A template literal comes in pieces, between
/// which are the tokens of its substitutions.
struct Token {
    enum class Kind : std::uint8_t { end, word, number, string, template_text, regular_expression, sign };
    Kind kind = Kind::end;
    /// Of a sign: its first character; `=>` is 'A', `...` is 'E', `++` and `--` are 'I', `?.` is '.'. Of a
    /// template's piece: 'W' the whole, 'H' the first before a substitution, 'M' one between two, 'T' the
    /// last.
    char sign = 0;
    std::uint32_t start = 0; ///< in the text
    std::uint32_t end = 0;
};

/// Splits a text into tokens, whatever bytes it holds: what is no JavaScript gives signs. A slash begins a
/// regular expression or divides, depending on what is in front of it; the lexer keeps track of parentheses
/// and braces for that.
class Lexer {
  public:
    /// What a brace or parenthesis that is open belongs to.
    struct Open {
        enum class Kind : std::uint8_t {
            parenthesis,
            bracket,
            block,
            function_body,
            object,
            try_block,
            substitution
        };
        Kind kind = Kind::block;
        bool is_control = false;  ///< a parenthesis behind `if`, `while`, `for` or `with`
        bool is_called = false;   ///< a parenthesis behind a name: a call, or the head of a function
        std::uint32_t callee = 0; ///< where the name in front of a parenthesis begins
        std::uint32_t callee_end = 0;
        bool behind_catch = false; ///< a parenthesis behind `catch`, `switch` or such: a block follows
    };

    explicit Lexer(std::string_view text, std::size_t start = 0);

    /// The next token; `end` for ever at the end.
    Token next() {
        Token token;
        next(token);
        return token;
    }
    /// The same, put where it is to stay: fields that are written one by one are slow to copy at once.
    void next(Token& token);

    std::string_view text_of(const Token& token) const {
        return {text_.data() + token.start, token.end - token.start};
    }
    std::string_view text() const { return text_; }
    /// The character behind the last token and white space, and where it is; comments are passed over too.
    char peek();
    std::size_t position() const { return position_; }

    const std::vector<Open>& open() const { return open_; }
    std::size_t try_depth() const { return try_depth_; }
    std::size_t function_depth() const { return function_depth_; }

    /// The value of a string token, or of a template's text between `start` and `end`: escapes resolved.
    static std::string value(std::string_view inner);

  private:
    void skip_space();
    void sign(Token& token);
    void word(Token& token);
    void open_brace(std::size_t start);
    void close(char sign);
    std::size_t end_of_string(std::size_t start) const;
    void template_piece(Token& token);
    std::size_t end_of_regular_expression(std::size_t start) const;

    std::string_view text_;
    std::size_t position_ = 0;
    std::vector<Open> open_;
    std::size_t try_depth_ = 0, function_depth_ = 0;
    /// What came last, as bits: all of them change with each token.
    enum State : std::uint16_t {
        operand = 1,      ///< a value has ended: a slash divides
        last_word = 2,    ///< a name or keyword
        control_word = 4, ///< `if`, `while`, `for`, `with`
        block_word = 8,   ///< a word behind which a parenthesis and a block come, or a block at once
        try_word = 16,
        arrow = 32,
        closed_head = 64, ///< a parenthesis was closed that may be the head of a function
        closed_block_head = 128,
        after_statement = 256, ///< a statement may begin here
        after_dot = 512,
    };
    bool has(unsigned bits) const { return (state_ & bits) != 0; }
    void set(unsigned bits) { state_ |= bits; }
    void clear(unsigned bits) { state_ &= ~bits; }
    void assign(unsigned bits, bool value) { state_ = value ? state_ | bits : state_ & ~bits; }
    unsigned state_ = after_statement;
    std::uint32_t callee_ = 0; ///< where the dotted name begins that is in front
    std::uint32_t callee_end_ = 0;
};

} // namespace omnistasis::node
