#include "runtimes/node/scanner.h"

#include "runtimes/node/known_values.h"
#include "runtimes/node/last_mention.h"
#include "runtimes/node/lexer.h"

#include <algorithm>
#include <array>
#include <bitset>
#include <cstring>
#include <optional>
#include <set>

namespace omnistasis::node {

namespace {

using Kind = Token::Kind;

/// The last name of a dotted one.
std::string_view last_name(std::string_view dotted) {
    std::size_t end = dotted.size();
    std::size_t at = end;
    while (at > 0 && dotted[at - 1] != '.' && dotted[at - 1] != ' ' && dotted[at - 1] != '\n') --at;
    return dotted.substr(at);
}

/// For each first letter the lengths of the words that are looked at, as bits.
constexpr std::array<std::uint32_t, 256> lengths_of_words = [] {
    std::array<std::uint32_t, 256> table{};
    for (std::string_view word : {"require", "import", "export", "env", "eval", "__dirname", "__filename",
                                  "const", "createRequire", "let", "var", "Function", "Worker", "fork"})
        table[static_cast<unsigned char>(word[0])] |= 1u << word.size();
    return table;
}();

class Scanner {
  public:
    explicit Scanner(std::string_view text) : text_(text), lexer_(text) {}

    ScanResult run() {
        std::size_t last = end_of_last_mention(text_);
        for (;; ++number_) {
            Token& token = tokens_[number_ % tokens_.size()];
            lexer_.next(token);
            if (token.kind == Kind::end || (token.start >= last && names_.empty())) break;
            if (token.kind == Kind::word)
                look_at_word(token);
            else if (token.kind == Kind::template_text && token.sign == 'H')
                templates_.push_back({token.start, lexer_.open().size()});
            else if (token.kind == Kind::string)
                look_at_string(token);
        }
        result_.imports_late |= makes_code_ && text_.find("import(") != std::string_view::npos;
        return std::move(result_);
    }

  private:
    /// Where a template begins whose substitution is open.
    struct OpenTemplate {
        std::uint32_t start = 0;
        std::size_t depth = 0;
    };

    std::string_view text_of(const Token& token) const { return lexer_.text_of(token); }

    /// The token in front of the present one, and the one in front of that.
    const Token& last() const { return tokens_[(number_ - 1) % tokens_.size()]; }
    const Token& before() const { return tokens_[(number_ - 2) % tokens_.size()]; }

    bool after_dot() const { return last().kind == Kind::sign && last().sign == '.'; }

    std::uint32_t line_at(std::size_t position) {
        if (position < counted_to_)
            return 1 + static_cast<std::uint32_t>(std::count(
                           text_.begin(), text_.begin() + static_cast<std::ptrdiff_t>(position), '\n'));
        const char* from = text_.data() + counted_to_;
        const char* to = text_.data() + position;
        while (from < to) {
            const void* found = std::memchr(from, '\n', static_cast<std::size_t>(to - from));
            if (found == nullptr) break;
            ++line_;
            from = static_cast<const char*>(found) + 1;
        }
        counted_to_ = position;
        return line_;
    }

    /// The name of a file that nothing but a program's own folder has: compiled code, a worker.
    static bool is_neighbour(std::string_view quoted) {
        if (quoted.size() < 8 || quoted.size() > 80) return false;
        std::string_view name = quoted.substr(1, quoted.size() - 2);
        bool is_part = name.ends_with(".wasm") || name.ends_with(".proto") || name.ends_with("orker.js");
        return is_part && name.find_first_of("/\\ *:$") == std::string_view::npos && name.front() != '.';
    }

    /// Functions of the application's own load modules, too; they are given the path as a text.
    void look_at_string(const Token& token) {
        std::string_view text = text_of(token);
        if (is_neighbour(text)) {
            add(RequestKind::mention, {"./" + std::string(text.substr(1, text.size() - 2))}, token.start,
                true);
            return;
        }
        if (text.size() < 6 || text.size() > 200 || text[1] != '.') return;
        text = text.substr(1, text.size() - 2);
        if (!text.starts_with("./") && !text.starts_with("../")) return;
        if (text.find_first_of(" *{}<>|\\\n") != std::string_view::npos) return;
        bool has_ending = text.substr(text.rfind('/')).find('.') != std::string_view::npos;
        bool is_module = !has_ending || text.ends_with(".js") || text.ends_with(".mjs") ||
                         text.ends_with(".cjs") || text.ends_with(".json") || text.ends_with(".node") ||
                         text.ends_with(".wasm");
        bool is_argument = last().kind == Kind::sign && last().sign == '(' &&
                           (text_of(before()) == "require" || text_of(before()) == "import");
        bool is_clause =
            last().kind == Kind::word && (text_of(last()) == "from" || text_of(last()) == "import");
        if (is_module && !is_argument && !is_clause)
            add(RequestKind::mention, {std::string(text)}, token.start, true);
    }

    void look_at_word(const Token& token) {
        std::string_view word = text_of(token);
        std::uint32_t lengths = lengths_of_words[static_cast<unsigned char>(word.front())];
        if (word.size() < 32 && (lengths >> word.size() & 1) != 0 && look_at_known_word(token, word)) return;
        if (!name_marks_[mark_of(word)] || after_dot()) return;
        if (!names_.contains(word)) return;
        if (requirers_.contains(word)) {
            if (lexer_.peek() == '(') add_call(RequestKind::require, token.start, lexer_.position() + 1);
            return;
        }
        if (std::ranges::any_of(*constants_.find(word), has_place)) look_at_place(token);
    }

    /// Whether the word was one of those below.
    bool look_at_known_word(const Token& token, std::string_view word) {
        switch (word.front()) {
        case 'r':
            if (is(word, "require")) return look_at_require(token), true;
            break;
        case 'i':
            if (is(word, "import") && !after_dot()) return look_at_import(token), true;
            break;
        case 'e':
            if (is(word, "export") && !after_dot()) return look_at_export(token), true;
            if (is(word, "env") && after_dot()) return look_at_environment(), true;
            if (is(word, "eval")) makes_code_ |= lexer_.peek() == '(';
            break;
        case '_':
            if ((is(word, "__dirname") || is(word, "__filename")) && !after_dot())
                return look_at_place(token), true;
            break;
        case 'c':
            if (is(word, "const")) return look_at_constant(), true;
            if (is(word, "createRequire")) return look_at_maker(token), true;
            break;
        case 'l':
            if (is(word, "let")) return look_at_constant(), true;
            break;
        case 'v':
            if (is(word, "var")) return look_at_constant(), true;
            break;
        case 'F':
            if (is(word, "Function")) makes_code_ |= lexer_.peek() == '(';
            break;
        case 'W':
            if (is(word, "Worker") && !after_dot()) return look_at_start(token), true;
            break;
        case 'f':
            if (is(word, "fork")) return look_at_start(token), true;
            break;
        default:
            break;
        }
        return false;
    }

    /// One bit of many, by which most other names are told from the known ones without a search.
    static std::size_t mark_of(std::string_view name) {
        auto letter = [&](std::size_t at) {
            return static_cast<std::size_t>(static_cast<unsigned char>(name[at]));
        };
        std::size_t size = name.size();
        return (letter(0) + 67 * letter(size / 2) + 1031 * letter(size - 1) + 257 * letter(size / 4) +
                29 * size) %
               4096;
    }
    void remember(const std::string& name) {
        if (name.empty()) return;
        names_.insert(name);
        name_marks_.set(mark_of(name));
    }

    void add(RequestKind kind, const Values& values, std::size_t position, bool guarded) {
        for (const std::string& text : values)
            result_.requests.push_back({kind, text, line_at(position), guarded || lexer_.try_depth() > 0,
                                        lexer_.function_depth() > 0});
    }

    /// A call whose first argument begins at `argument`.
    void add_call(RequestKind kind, std::size_t name, std::size_t argument) {
        Lexer inner(text_, argument);
        if (inner.peek() == ')') return;
        Values values = constants_.expression(inner);
        add(kind, values, name, has_handler(inner));
    }

    /// Whether a promise is given what to do when it fails. `inner` is behind the first argument.
    static bool has_handler(Lexer& inner) {
        std::size_t depth = inner.open().size();
        for (int steps = 0; steps < 64; ++steps) {
            Token token = inner.next();
            if (token.kind == Kind::end) return false;
            if (token.kind != Kind::sign || token.sign != ')' || inner.open().size() > depth) continue;
            break;
        }
        if (inner.peek() != '.') return false;
        inner.next();
        return inner.text_of(inner.next()) == "catch";
    }

    void look_at_require(const Token& token) {
        // module.require("x") is the same; others' members are not.
        if (after_dot() && text_of(before()) != "module") return;
        char next = lexer_.peek();
        if (next == '(') return add_call(RequestKind::require, token.start, lexer_.position() + 1);
        if (next != '.') return;
        Lexer inner(text_, lexer_.position());
        inner.next();
        if (inner.text_of(inner.next()) == "resolve" && inner.peek() == '(')
            add_call(RequestKind::resolve, token.start, inner.position() + 1);
    }

    void look_at_import(const Token& token) {
        char next = lexer_.peek();
        if (next == '(') {
            result_.imports_late = true;
            return add_call(RequestKind::import_dynamic, token.start, lexer_.position() + 1);
        }
        if (next == ':' || next == '=' || next == ',' || next == '}' || next == ';') return;
        if (next == '.') {
            result_.is_module = true;
            Lexer inner(text_, lexer_.position());
            inner.next();
            Token member = inner.next();
            if (inner.text_of(member) != "meta") return;
            if (inner.peek() != '.') return;
            inner.next();
            std::string_view what = inner.text_of(inner.next());
            if (what == "resolve" && inner.peek() == '(')
                add_call(RequestKind::resolve, token.start, inner.position() + 1);
            else if (what == "url" || what == "dirname" || what == "filename")
                look_at_place(token);
            return;
        }
        from_clause(token, false);
    }

    void look_at_export(const Token& token) {
        char next = lexer_.peek();
        if (next == '*' || next == '{') return from_clause(token, true);
        if (class_of_word(next)) result_.is_module = true;
    }

    static bool class_of_word(char c) { return std::isalpha(static_cast<unsigned char>(c)) != 0; }

    /// `import a, { b } from "x"`, `export * as y from "x"`, `import "x"`.
    void from_clause(const Token& token, bool is_export) {
        Lexer inner(text_, lexer_.position());
        std::size_t depth = inner.open().size();
        bool from = false;
        for (int steps = 0; steps < 100000; ++steps) {
            Token next = inner.next();
            if (next.kind == Kind::end) return;
            if (next.kind == Kind::string) {
                if (inner.open().size() > depth) continue; // "a string" as x
                if (is_export && !from) return;
                result_.is_module = true;
                result_.requests.push_back({RequestKind::import_static, string_value(inner, next),
                                            line_at(token.start), false, false});
                return;
            }
            if (inner.open().size() > depth) continue;
            if (next.kind == Kind::word) {
                if (is_export && from) return;
                from = inner.text_of(next) == "from";
                if (is_export && !from && inner.text_of(next) != "as" && last_export_word_ != "as") {
                    // export { a }, and the next statement begins
                    if (closed_list_) break;
                }
                last_export_word_ = inner.text_of(next);
                continue;
            }
            if (next.kind != Kind::sign) return;
            closed_list_ = next.sign == '}';
            if (next.sign != '*' && next.sign != '{' && next.sign != '}' && next.sign != ',') break;
        }
        last_export_word_ = {};
        closed_list_ = false;
        if (is_export) result_.is_module = true;
    }

    /// `process.env.NAME`, `process.env["NAME"]`.
    void look_at_environment() {
        if (text_of(before()) != "process") return;
        Lexer inner(text_, lexer_.position());
        char next = inner.peek();
        if (next != '.' && next != '[') return;
        inner.next();
        Token name = inner.next();
        std::string text;
        if (next == '.' && name.kind == Kind::word) text = inner.text_of(name);
        if (next == '[' && name.kind == Kind::string) text = string_value(inner, name);
        if (!text.empty()) result_.variables.push_back({text, line_at(name.start)});
    }

    /// `createRequire(x)("y")`; a name that it is given to is found with the constant.
    void look_at_maker(const Token& token) {
        if (lexer_.peek() != '(') return;
        Lexer inner(text_, lexer_.position());
        skip_group(inner);
        if (inner.peek() == '(') add_call(RequestKind::require, token.start, inner.position() + 1);
    }

    void look_at_start(const Token& token) {
        if (lexer_.peek() != '(') return;
        Lexer inner(text_, lexer_.position() + 1);
        Values values = constants_.expression(inner);
        // What begins with the file's own place is seen there.
        std::erase_if(values, [](const std::string& text) {
            return text.empty() || has_place(text) || text.find(unknown) != std::string::npos ||
                   !(text.starts_with('.') || text.ends_with("js"));
        });
        add(RequestKind::start, values, token.start, false);
    }

    /// Whether a statement that goes on at `start` names the file's own place somewhere on its line.
    bool names_own_place(std::size_t start) const {
        constexpr std::size_t longest = 240;
        std::string_view line = text_.substr(std::min(start, text_.size()), longest);
        line = line.substr(0, line.find_first_of(";\n"));
        return line.find("__dirname") != line.npos || line.find("__filename") != line.npos ||
               line.find("import.meta") != line.npos;
    }

    /// `const name = value`, where the value is known.
    void look_at_constant() {
        Lexer inner(text_, lexer_.position());
        Token name = inner.next();
        if (name.kind != Kind::word || inner.peek() != '=') return;
        Token sign = inner.next();
        if (sign.sign != '=' || inner.peek() == '=') return;
        char first = inner.peek();
        std::size_t value = inner.position();
        bool may_be_known = first == '"' || first == '\'' || first == '`' || class_of_word(first) ||
                            first == '_' || first == '(' || first == '$' || names_own_place(value);
        if (!may_be_known) return;
        if (class_of_word(first) || first == '$') {
            // Most initial values are calls of functions that nobody knows here.
            Lexer look(text_, inner.position());
            Token word = look.next();
            std::string_view text = look.text_of(word);
            while (look.peek() == '.') {
                look.next();
                text = look.text_of(look.next());
            }
            if (text == "createRequire") {
                std::string own(inner.text_of(name));
                if (own != "require") {
                    remember(own);
                    requirers_.insert(own);
                }
                return;
            }
            std::string_view start = look.text_of(word);
            bool follows = is_path_function(text) || start == "new" || start == "import" ||
                           start == "process" || constants_.find(text) != nullptr;
            if (!follows && !names_own_place(value)) return;
        }
        Values values = constants_.expression(inner);
        // Another constant of this name, in another part of the file, may be meant as well.
        std::string own(inner.text_of(name));
        if (!is_known(values)) return;
        if (std::ranges::any_of(values, has_place)) remember(own);
        constants_.add(own, values);
    }

    /// The file's own folder or file, at `token`: the largest expression around it that can be followed.
    void look_at_place(const Token& token) {
        std::size_t start = token.start;
        // The sum or template that it stands in, or a call that makes a path, and what that stands in.
        const auto& open = lexer_.open();
        if (!templates_.empty() && !open.empty() && open.back().kind == Lexer::Open::Kind::substitution)
            while (!templates_.empty() && templates_.back().depth > open.size()) templates_.pop_back();
        for (std::size_t i = open.size(); i-- > 0;) {
            const Lexer::Open& one = open[i];
            if (one.kind == Lexer::Open::Kind::substitution) {
                auto inside = std::ranges::find(templates_, i + 1, &OpenTemplate::depth);
                if (inside == templates_.end()) break;
                start = inside->start;
                continue;
            }
            if (one.kind != Lexer::Open::Kind::parenthesis || !one.is_called) break;
            std::string_view callee = text_.substr(one.callee, one.callee_end - one.callee);
            if (!is_path_function(last_name(callee))) break;
            start = one.callee;
        }
        if (start <= last_place_ && last_place_ != 0) return; // said already
        bool is_constructed = start >= 4 && text_.substr(0, start).ends_with("new ");
        Lexer inner(text_, is_constructed ? start - 4 : start);
        Values values = constants_.sum(inner);
        last_place_ = inner.position();
        std::erase_if(values, [](const std::string& text) { return !has_place(text); });
        add(RequestKind::file, values, token.start, false);
    }

    std::string_view text_;
    Lexer lexer_;
    ScanResult result_;
    std::array<Token, 4> tokens_; ///< the last ones, by their number
    std::size_t number_ = 2;
    std::vector<OpenTemplate> templates_;
    KnownValues constants_;
    std::set<std::string, std::less<>> requirers_;
    std::set<std::string, std::less<>>
        names_; ///< of these, and of constants that have the file's place: they ask for files too
    std::bitset<4096> name_marks_;
    bool makes_code_ = false;
    std::size_t last_place_ = 0; ///< where the last expression ended that was followed
    std::size_t counted_to_ = 0;
    std::uint32_t line_ = 1;
    std::string_view last_export_word_;
    bool closed_list_ = false;
};

} // namespace

ScanResult scan(std::string_view text) { return Scanner(text).run(); }

} // namespace omnistasis::node
