#include "runtimes/node/lexer.h"

#include "runtimes/node/wide_search.h"
#include "support/utf8.h"

#include <algorithm>
#include <array>
#include <cstring>

namespace omnistasis::node {

namespace {

/// From `letter` on a character goes on with a name.
enum Class : std::uint8_t { other, space, quote, letter, digit };

constexpr std::array<std::uint8_t, 256> classes = [] {
    std::array<std::uint8_t, 256> table{};
    for (int c = 0; c < 256; ++c) {
        bool is_letter =
            (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_' || c == '$' || c >= 0x80;
        if (is_letter) table[static_cast<std::size_t>(c)] = letter;
    }
    // A backslash outside of texts begins an escape in a name; a private name has its mark.
    table['\\'] = table['#'] = table['@'] = letter;
    for (int c = '0'; c <= '9'; ++c) table[static_cast<std::size_t>(c)] = digit;
    for (char c : {' ', '\t', '\n', '\r', '\v', '\f'}) table[static_cast<unsigned char>(c)] = space;
    for (char c : {'"', '\'', '`'}) table[static_cast<unsigned char>(c)] = quote;
    return table;
}();

/// White space and the beginnings of comments.
constexpr std::array<bool, 256> may_be_passed_over = [] {
    std::array<bool, 256> table{};
    for (std::size_t c = 0; c < 256; ++c) table[c] = classes[c] == space || c == '/';
    return table;
}();

std::uint8_t class_of(char c) { return classes[static_cast<unsigned char>(c)]; }

/// For each first letter the lengths of the keywords that begin so, as bits: most names are told from
/// keywords by that.
constexpr std::array<std::uint16_t, 256> keyword_lengths = [] {
    std::array<std::uint16_t, 256> table{};
    for (std::string_view word :
         {"if",     "in",     "of",     "do",      "for",     "try",     "new",       "with",   "else",
          "case",   "void",   "while",  "catch",   "throw",   "yield",   "await",     "switch", "return",
          "typeof", "delete", "export", "finally", "default", "extends", "instanceof"}) {
        std::uint16_t& lengths = table[static_cast<unsigned char>(word[0])];
        lengths = static_cast<std::uint16_t>(lengths | 1u << word.size());
    }
    return table;
}();

/// What a keyword means to what comes behind it.
enum class Word : std::uint8_t {
    name,
    begins_expression, ///< `return /x/`
    control,           ///< if while for with
    head_of_block,     ///< catch switch
    block,             ///< else do finally
    tries,
};

Word word_kind(std::string_view word) {
    switch (word.size()) {
    case 2:
        if (is(word, "if")) return Word::control;
        if (is(word, "in") || is(word, "of")) return Word::begins_expression;
        if (is(word, "do")) return Word::block;
        break;
    case 3:
        if (is(word, "for")) return Word::control;
        if (is(word, "try")) return Word::tries;
        if (is(word, "new")) return Word::begins_expression;
        break;
    case 4:
        if (is(word, "with")) return Word::control;
        if (is(word, "else")) return Word::block;
        if (is(word, "case") || is(word, "void")) return Word::begins_expression;
        break;
    case 5:
        if (is(word, "while")) return Word::control;
        if (is(word, "catch")) return Word::head_of_block;
        if (is(word, "throw") || is(word, "yield") || is(word, "await")) return Word::begins_expression;
        break;
    case 6:
        if (is(word, "switch")) return Word::head_of_block;
        if (is(word, "return") || is(word, "typeof") || is(word, "delete") || is(word, "export"))
            return Word::begins_expression;
        break;
    case 7:
        if (is(word, "finally")) return Word::block;
        if (is(word, "default") || is(word, "extends")) return Word::begins_expression;
        break;
    case 10:
        if (is(word, "instanceof")) return Word::begins_expression;
        break;
    default:
        break;
    }
    return Word::name;
}

int hex_digit(char c) {
    if (c >= '0' && c <= '9') return c - '0';
    if (c >= 'a' && c <= 'f') return c - 'a' + 10;
    if (c >= 'A' && c <= 'F') return c - 'A' + 10;
    return -1;
}

/// Reads up to `most` hexadecimal digits at `at` and moves it behind them.
std::uint32_t hex_number(std::string_view text, std::size_t& at, std::size_t most) {
    std::uint32_t number = 0;
    for (std::size_t i = 0; i < most && at < text.size() && hex_digit(text[at]) >= 0; ++i, ++at)
        number = (number << 4 | static_cast<std::uint32_t>(hex_digit(text[at]))) & 0x1fffff;
    return number;
}

} // namespace

bool is_in_name(char c) { return class_of(c) >= letter; }

Lexer::Lexer(std::string_view text, std::size_t start) : text_(text), position_(start) {
    // The first line may name the interpreter.
    if (start == 0 && text_.starts_with("\xef\xbb\xbf")) position_ = 3;
    if (start == 0 && text_.substr(position_).starts_with("#!"))
        position_ = std::min(text_.find('\n', position_), text_.size());
}

void Lexer::skip_space() {
    const char* begin = text_.data();
    std::size_t size = text_.size(), at = position_;
    for (;; ++at) {
        at = end_of_space(text_, at);
        if (at + 1 >= size || begin[at] != '/') break;
        if (begin[at + 1] == '/') {
            const void* line = std::memchr(begin + at, '\n', size - at);
            if (line == nullptr) {
                at = size;
                break;
            }
            at = static_cast<std::size_t>(static_cast<const char*>(line) - begin) - 1;
        } else if (begin[at + 1] == '*') {
            std::size_t end = text_.find("*/", at + 2);
            if (end == std::string_view::npos) {
                at = size;
                break;
            }
            at = end + 1;
        } else {
            break;
        }
    }
    position_ = at;
}

char Lexer::peek() {
    skip_space();
    return position_ < text_.size() ? text_[position_] : '\0';
}

std::size_t Lexer::end_of_string(std::size_t start) const {
    char mark = text_[start];
    for (std::size_t at = start + 1;; ++at) {
        at = find_one_of<'"', '\'', '\\', '\n'>(text_, at);
        if (at >= text_.size()) break;
        char c = text_[at];
        if (c == mark) return at + 1;
        if (c == '\\') {
            ++at;
        } else if (c == '\n') {
            return at; // it was never closed
        }
    }
    return text_.size();
}

/// From a backquote, or from the brace that ends a substitution, to the next of either.
void Lexer::template_piece(Token& token) {
    std::size_t start = token.start;
    bool is_first = text_[start] == '`';
    if (!is_first) open_.pop_back();
    std::size_t at = start + 1;
    bool opens = false;
    for (;; ++at) {
        at = find_one_of<'`', '\\', '$'>(text_, at);
        if (at >= text_.size()) break;
        char c = text_[at];
        if (c == '\\') {
            ++at;
        } else if (c == '`') {
            ++at;
            break;
        } else if (c == '$' && at + 1 < text_.size() && text_[at + 1] == '{') {
            opens = true;
            at += 2;
            break;
        }
    }
    position_ = std::min(at, text_.size());
    if (opens) open_.push_back({Open::Kind::substitution});
    state_ = opens ? 0 : operand;
    token.kind = Token::Kind::template_text;
    token.sign = is_first ? (opens ? 'H' : 'W') : (opens ? 'M' : 'T');
    token.end = static_cast<std::uint32_t>(position_);
}

std::size_t Lexer::end_of_regular_expression(std::size_t start) const {
    bool in_class = false;
    for (std::size_t at = start + 1; at < text_.size(); ++at) {
        char c = text_[at];
        if (c == '\n') return start + 1; // none, after all
        if (c == '\\') {
            ++at;
        } else if (c == '[') {
            in_class = true;
        } else if (c == ']') {
            in_class = false;
        } else if (c == '/' && !in_class) {
            ++at;
            while (at < text_.size() && class_of(text_[at]) == letter) ++at;
            return at;
        }
    }
    return start + 1;
}

void Lexer::word(Token& token) {
    bool member = has(after_dot);
    if (!member || !has(last_word)) callee_ = token.start;
    callee_end_ = token.end;
    state_ = last_word | operand;
    std::size_t size = token.end - token.start;
    unsigned lengths = keyword_lengths[static_cast<unsigned char>(text_[token.start])];
    if (member || size > 15 || (lengths >> size & 1) == 0) return;
    switch (word_kind(text_of(token))) {
    case Word::name:
        return;
    case Word::begins_expression:
        state_ = 0;
        break;
    case Word::control:
        state_ = control_word;
        break;
    case Word::head_of_block:
        state_ = block_word;
        break;
    case Word::block:
        state_ = block_word | after_statement;
        break;
    case Word::tries:
        state_ = try_word;
        break;
    }
}

void Lexer::open_brace(std::size_t) {
    Open one;
    if (has(try_word)) {
        one.kind = Open::Kind::try_block;
        ++try_depth_;
    } else if (has(arrow) || has(closed_head)) {
        one.kind = Open::Kind::function_body;
        ++function_depth_;
    } else if (has(closed_block_head) || has(block_word) || has(after_statement) || has(last_word)) {
        one.kind = Open::Kind::block; // behind a name: of a class
    } else {
        one.kind = Open::Kind::object;
    }
    open_.push_back(one);
}

void Lexer::close(char sign) {
    clear(closed_head | closed_block_head);
    set(operand);
    clear(after_statement);
    if (open_.empty()) {
        if (sign == '}') {
            clear(operand);
            set(after_statement);
        }
        return;
    }
    Open one = open_.back();
    open_.pop_back();
    switch (one.kind) {
    case Open::Kind::parenthesis:
        assign(operand, !one.is_control);
        assign(after_statement, one.is_control);
        assign(closed_block_head, one.is_control || one.behind_catch);
        assign(closed_head, !has(closed_block_head));
        break;
    case Open::Kind::bracket:
    case Open::Kind::object:
    case Open::Kind::substitution:
        break;
    case Open::Kind::try_block:
        --try_depth_;
        clear(operand);
        set(after_statement);
        break;
    case Open::Kind::function_body:
        --function_depth_;
        clear(operand);
        set(after_statement);
        break;
    case Open::Kind::block:
        clear(operand);
        set(after_statement);
        break;
    }
}

void Lexer::sign(Token& token) {
    std::size_t start = token.start;
    char c = text_[start];
    token.kind = Token::Kind::sign;
    token.sign = c;
    token.end = static_cast<std::uint32_t>(start + 1);
    auto next_is = [&](std::size_t ahead, char wanted) {
        return start + ahead < text_.size() && text_[start + ahead] == wanted;
    };
    // What is not said here is over with a sign.
    unsigned then = 0;
    switch (c) {
    case '(': {
        Open one{Open::Kind::parenthesis};
        one.is_control = has(control_word);
        one.behind_catch = has(block_word);
        one.is_called = has(last_word);
        one.callee = callee_;
        one.callee_end = callee_end_;
        open_.push_back(one);
        break;
    }
    case '[':
        open_.push_back({Open::Kind::bracket});
        break;
    case '{':
        open_brace(start);
        if (open_.back().kind != Open::Kind::object) then = after_statement;
        break;
    case ')':
    case ']':
    case '}':
        close(c);
        then = state_ & (operand | after_statement | closed_head | closed_block_head);
        break;
    case '.':
        if (next_is(1, '.') && next_is(2, '.')) {
            token.sign = 'E';
            token.end += 2;
            then = state_ & (after_statement | closed_head | closed_block_head);
            break;
        }
        then = (state_ & last_word) | after_dot; // the name in front goes on
        break;
    case '=':
        if (next_is(1, '>')) {
            token.sign = 'A';
            token.end += 1;
            then = arrow;
        }
        break;
    case '+':
    case '-':
        if (next_is(1, c)) {
            token.sign = 'I';
            token.end += 1; // in front of or behind a value: that stays as it was
            then = state_ & operand;
        }
        break;
    case '?':
        if (next_is(1, '.') && !(start + 2 < text_.size() && class_of(text_[start + 2]) == digit)) {
            token.end += 1;
            then = (state_ & last_word) | after_dot;
        }
        break;
    case ';':
        then = after_statement;
        break;
    default:
        break;
    }
    state_ = then;
    position_ = token.end;
}

void Lexer::next(Token& token) {
    std::size_t start = position_, size = text_.size();
    // Mostly there is one space, or none.
    if (start < size && text_[start] == ' ') ++start;
    if (start < size && may_be_passed_over[static_cast<unsigned char>(text_[start])]) {
        position_ = start;
        skip_space();
        start = position_;
    }
    token.start = static_cast<std::uint32_t>(start);
    if (start >= size) {
        token.kind = Token::Kind::end;
        token.sign = 0;
        token.end = token.start;
        return;
    }
    char c = text_[start];
    switch (class_of(c)) {
    case letter: {
        position_ = end_of_name(text_, start + 1, is_in_name);
        token.kind = Token::Kind::word;
        token.sign = 0;
        token.end = static_cast<std::uint32_t>(position_);
        return word(token);
    }
    case digit: {
        std::size_t at = start + 1;
        while (at < size && (is_in_name(text_[at]) || text_[at] == '.')) ++at;
        token.kind = Token::Kind::number;
        token.end = static_cast<std::uint32_t>(at);
        break;
    }
    case quote:
        if (c == '`') return template_piece(token);
        token.kind = Token::Kind::string;
        token.end = static_cast<std::uint32_t>(end_of_string(start));
        break;
    default:
        if (c == '}' && !open_.empty() && open_.back().kind == Open::Kind::substitution)
            return template_piece(token);
        if (c != '/' || has(operand)) return sign(token);
        token.kind = Token::Kind::regular_expression;
        token.end = static_cast<std::uint32_t>(end_of_regular_expression(start));
        if (token.end == start + 1) return sign(token);
        break;
    }
    token.sign = 0;
    position_ = token.end;
    state_ = operand;
}

std::string Lexer::value(std::string_view inner) {
    std::string out;
    out.reserve(inner.size());
    for (std::size_t at = 0; at < inner.size();) {
        char c = inner[at++];
        if (c != '\\' || at >= inner.size()) {
            out += c;
            continue;
        }
        char escaped = inner[at++];
        switch (escaped) {
        case 'n':
            out += '\n';
            break;
        case 't':
            out += '\t';
            break;
        case 'r':
            out += '\r';
            break;
        case 'b':
            out += '\b';
            break;
        case 'f':
            out += '\f';
            break;
        case 'v':
            out += '\v';
            break;
        case '0':
            out += '\0';
            break;
        case '\n':
            break;
        case 'x':
            append_utf8(out, hex_number(inner, at, 2));
            break;
        case 'u': {
            bool braced = at < inner.size() && inner[at] == '{';
            if (braced) ++at;
            std::uint32_t code = hex_number(inner, at, braced ? 8 : 4);
            if (braced && at < inner.size() && inner[at] == '}') ++at;
            // Two halves of a pair stand for one character (UTF-16).
            if (code >= 0xd800 && code < 0xdc00 && inner.substr(at).starts_with("\\u")) {
                at += 2;
                code = 0x10000 + ((code - 0xd800) << 10) + ((hex_number(inner, at, 4) - 0xdc00) & 0x3ff);
            }
            append_utf8(out, code);
            break;
        }
        default:
            out += escaped;
        }
    }
    return out;
}

} // namespace omnistasis::node
