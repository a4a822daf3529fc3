#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::python {

enum class TokenKind : std::uint8_t { name, number, string, op, end };

/// One token of Python source (The Python Language Reference, chapter 2). Its text is a view into the source.
struct Token {
    TokenKind kind = TokenKind::end;
    bool bytes = false;     ///< strings: has a b prefix
    bool raw = false;       ///< strings: has an r prefix
    bool formatted = false; ///< strings: has an f prefix
    std::uint32_t line = 0; ///< counted from 1
    std::string_view
        text; ///< names, numbers, operators: as written; strings: what is between the quotes; never null

    [[gnu::always_inline]] bool is(std::string_view word) const {
        // Asked for every token many times; the first byte settles most.
        return text.size() == word.size() && text[0] == word[0] && kind != TokenKind::string && text == word;
    }
    bool is_plain_string() const { return kind == TokenKind::string && !bytes && !formatted; }
};

/// Splits Python source into logical lines. Exact about strings of every prefix and nesting, comments,
/// continuation lines and brackets; survives any bytes: what is no Python comes out as operators of one byte,
/// and an unclosed string ends with its line (or the file, for triple quotes).
class Lexer {
  public:
    explicit Lexer(std::string_view source);

    /// Reads the next logical line that holds a token into `tokens` (cleared first). False at the end.
    bool next_line(std::vector<Token>& tokens);

    /// The column of the first token of the line last read, tabs to multiples of 8.
    std::uint32_t indent() const { return indent_; }

  private:
    void skip_to_line_end();
    std::uint32_t measure_indent();
    bool starts_string(std::size_t& prefix_length) const;
    Token read_string(std::size_t prefix_length);
    std::size_t find_string_end(std::size_t from, char quote, bool triple, bool formatted, bool raw);
    std::size_t skip_replacement_field(std::size_t from, char quote, bool triple);
    char at(std::size_t index) const { return index < source_.size() ? source_[index] : '\0'; }

    std::string_view source_;
    std::size_t position_ = 0;
    std::uint32_t line_ = 1;
    std::uint32_t indent_ = 0;
    std::uint32_t nesting_ = 0; ///< how deep formatted strings are nested in each other
};

/// The value of a string token without format fields: escape sequences decoded (section 2.4.1), in UTF-8.
std::string string_value(const Token& token);

} // namespace omnistasis::python
