#include "runtimes/node/known_values.h"

#include <algorithm>

namespace omnistasis::node {

namespace {

using Kind = Token::Kind;

constexpr std::size_t most_values = 16;
constexpr std::size_t deepest = 40;
constexpr std::size_t longest_value = 4096;

const Values nothing_known{std::string(1, unknown)};

/// Every text of one with every text of the other.
template <typename Join> Values combined(const Values& left, const Values& right, Join join) {
    Values out;
    for (const std::string& one : left)
        for (const std::string& other : right) {
            if (out.size() == most_values) return out;
            std::string text = join(one, other);
            if (text.size() > longest_value) return nothing_known;
            if (std::ranges::find(out, text) == out.end()) out.push_back(std::move(text));
        }
    return out;
}

void add_values(Values& to, const Values& more) {
    for (const std::string& text : more)
        if (to.size() < most_values && std::ranges::find(to, text) == to.end()) to.push_back(text);
}

/// path.join: `..` is settled later, when the file's own folder is known.
std::string joined(const std::string& left, const std::string& right) {
    if (left.empty()) return right;
    if (right.empty()) return left;
    return left + (left.back() == '/' || right.front() == '/' ? "" : "/") + right;
}

std::string folder_of(const std::string& text) {
    if (text.size() == 1 && text.front() == own_file) return std::string(1, own_folder);
    return text + "/..";
}

} // namespace

bool is_known(const Values& values) { return values.size() != 1 || values.front() != nothing_known.front(); }

bool has_place(const std::string& text) {
    return !text.empty() && (text.front() == own_folder || text.front() == own_file);
}

bool is_path_function(std::string_view name) {
    return name == "join" || name == "resolve" || name == "normalize" || name == "dirname" ||
           name == "fileURLToPath" || name == "pathToFileURL" || name == "URL" ||
           name == "toNamespacedPath" || name == "realpathSync" || name == "String" || name == "urlToPath";
}

std::string string_value(const Lexer& lexer, const Token& token) {
    std::string_view text = lexer.text_of(token);
    if (text.size() < 2) return {};
    text = text.substr(1, text.size() - 2);
    if (text.find('\\') == std::string_view::npos) return std::string(text);
    return Lexer::value(text);
}

void skip_group(Lexer& inner) {
    std::size_t depth = inner.open().size();
    do {
        if (inner.next().kind == Kind::end) return;
    } while (inner.open().size() > depth);
}

void KnownValues::add(const std::string& name, const Values& values) { add_values(constants_[name], values); }

const Values* KnownValues::find(std::string_view name) const {
    auto known = constants_.find(name);
    return known == constants_.end() ? nullptr : &known->second;
}

namespace {

/// Passes over what is left of an expression: up to a comma, a semicolon or the end of the group.
bool ends_expression(char c) {
    return c == ',' || c == ')' || c == ']' || c == '}' || c == ';' || c == ':' || c == '\0';
}

void skip_operand(Lexer& inner, std::size_t budget = 100000) {
    for (; budget > 0; --budget) {
        char c = inner.peek();
        if (ends_expression(c) || c == '+' || c == '?' || c == '|' || c == '&') return;
        if (c == '(' || c == '[' || c == '{') {
            skip_group(inner);
            continue;
        }
        Token token = inner.next();
        if (token.kind == Kind::end) return;
        if (token.kind == Kind::template_text && token.sign == 'H') {
            do token = inner.next();
            while (token.kind != Kind::end && !(token.kind == Kind::template_text && token.sign == 'T'));
        }
    }
}

Values call_values(std::string_view function, const std::vector<Values>& arguments) {
    if (arguments.empty()) return nothing_known;
    if (function == "URL") {
        if (arguments.size() < 2) return arguments.front();
        return combined(arguments[1], arguments[0], [](const std::string& base, const std::string& path) {
            // Relative to the file that the base is: to its folder.
            if (base.size() != 1 || base.front() != own_file)
                return has_place(base) && base.ends_with('/') ? base + path : std::string(1, unknown);
            bool is_path =
                !path.empty() && path.find("://") == std::string::npos && !path.starts_with("data:");
            return is_path ? joined(std::string(1, own_folder), path) : std::string(1, unknown);
        });
    }
    if (function == "dirname") {
        Values out;
        for (const std::string& text : arguments.front()) out.push_back(folder_of(text));
        return out;
    }
    if (function != "join" && function != "resolve") return arguments.front();
    Values values{""};
    for (const Values& argument : arguments)
        values = combined(values, argument, [&](const std::string& left, const std::string& right) {
            // An absolute part starts anew.
            if (has_place(right) || (function == "resolve" && right.starts_with('/'))) return right;
            return joined(left, right);
        });
    return values;
}

} // namespace

/// `a ? b : c`, `a || b`, `a ?? b`, sums.
Values KnownValues::expression(Lexer& inner, std::size_t depth) const {
    if (depth > deepest) return skip_operand(inner), nothing_known;
    Values values = sum(inner, depth + 1);
    for (;;) {
        char c = inner.peek();
        std::string_view rest = inner.text().substr(inner.position());
        if (rest.starts_with("||") || rest.starts_with("??")) {
            inner.next();
            inner.next();
            Values other = sum(inner, depth + 1);
            if (!is_known(values))
                values = std::move(other);
            else if (is_known(other))
                add_values(values, other);
            continue;
        }
        if (c == '?') {
            inner.next();
            Values first = expression(inner, depth + 1);
            if (inner.peek() != ':') return nothing_known;
            inner.next();
            Values second = expression(inner, depth + 1);
            add_values(first, second);
            return first;
        }
        if (ends_expression(c)) return values;
        // Something else is made of it: a comparison, as a condition.
        while (!ends_expression(inner.peek()) && inner.peek() != '?') {
            std::size_t before = inner.position();
            skip_operand(inner);
            if (inner.peek() == '+' || inner.peek() == '|' || inner.peek() == '&') inner.next();
            if (inner.position() == before) return nothing_known;
        }
        values = nothing_known;
        if (inner.peek() != '?') return values;
    }
}

Values KnownValues::sum(Lexer& inner, std::size_t depth) const {
    Values values = operand(inner, depth);
    while (inner.peek() == '+') {
        inner.next();
        Values next = operand(inner, depth);
        values = combined(values, next, [](const std::string& left, const std::string& right) {
            bool both = !left.empty() && left.back() == unknown && right.starts_with(unknown);
            return both ? left : left + right;
        });
    }
    return values;
}

Values KnownValues::template_values(Lexer& inner, const Token& head, std::size_t depth) const {
    auto piece = [&](const Token& token) {
        std::string_view text = inner.text_of(token).substr(1);
        text.remove_suffix(
            std::min<std::size_t>(text.size(), token.sign == 'H' || token.sign == 'M' ? 2 : 1));
        return Lexer::value(text);
    };
    Values values{piece(head)};
    for (Token token = head; token.sign == 'H' || token.sign == 'M';) {
        Values part = expression(inner, depth + 1);
        auto append = [](const std::string& left, const std::string& right) { return left + right; };
        values = combined(values, part, append);
        // What could not be followed is passed over.
        std::size_t open = inner.open().size();
        do token = inner.next();
        while (token.kind != Kind::end &&
               !(token.kind == Kind::template_text && (token.sign == 'M' || token.sign == 'T') &&
                 inner.open().size() <= open));
        if (token.kind == Kind::end) return nothing_known;
        values = combined(values, Values{piece(token)}, append);
    }
    return values;
}

Values KnownValues::operand(Lexer& inner, std::size_t depth) const {
    if (depth > deepest) return skip_operand(inner), nothing_known;
    Values values = nothing_known;
    Token token = inner.next();
    switch (token.kind) {
    case Kind::string:
        values = {string_value(inner, token)};
        break;
    case Kind::template_text:
        values = template_values(inner, token, depth);
        break;
    case Kind::word:
        values = word_values(inner, token, depth);
        break;
    case Kind::sign:
        if (token.sign == '(') {
            values = expression(inner, depth + 1);
            while (inner.peek() == ',') { // (0, x)
                inner.next();
                values = expression(inner, depth + 1);
            }
            if (inner.peek() == ')') {
                inner.next();
                break;
            }
            return skip_operand(inner), nothing_known;
        }
        if (token.sign == '[' || token.sign == '{') {
            std::size_t open = inner.open().size();
            while (inner.open().size() >= open && inner.next().kind != Kind::end) {
            }
        }
        break;
    default:
        break;
    }
    return members(inner, std::move(values));
}

/// What is behind a value: `.href` and `.toString()` leave it, anything else makes it unknown.
Values KnownValues::members(Lexer& inner, Values values) const {
    for (;;) {
        char c = inner.peek();
        if (c == '.') {
            inner.next();
            std::string_view name = inner.text_of(inner.next());
            if (name == "toString" && inner.peek() == '(')
                skip_group(inner);
            else if (name != "href" && name != "pathname")
                return skip_operand(inner), nothing_known;
        } else if (c == '[' || c == '(') {
            skip_operand(inner);
            return nothing_known;
        } else {
            return values;
        }
    }
}

Values KnownValues::word_values(Lexer& inner, const Token& token, std::size_t depth) const {
    std::string_view word = inner.text_of(token);
    if (word == "__dirname") return {std::string(1, own_folder)};
    if (word == "__filename") return {std::string(1, own_file)};
    if (word == "await" || word == "new") return operand(inner, depth + 1);
    if (word == "import" && inner.peek() == '.') {
        inner.next();
        inner.next(); // meta
        if (inner.peek() != '.') return nothing_known;
        inner.next();
        std::string_view what = inner.text_of(inner.next());
        if (what == "dirname") return {std::string(1, own_folder)};
        return {std::string(1, what == "url" || what == "filename" ? own_file : unknown)};
    }
    const Values* constant = find(word);
    if (constant != nullptr && inner.peek() != '(') return *constant;
    std::string_view last = word;
    while (inner.peek() == '.') {
        Lexer ahead = inner;
        ahead.next();
        Token member = ahead.next();
        if (member.kind != Kind::word) break;
        last = ahead.text_of(member);
        inner = ahead;
    }
    if (word == "require" && last == "require" && inner.peek() == '(') {
        // require("path").join(...)
        skip_group(inner);
        while (inner.peek() == '.') {
            inner.next();
            last = inner.text_of(inner.next());
        }
    }
    if (inner.peek() != '(') return nothing_known;
    if (!is_path_function(last)) return skip_group(inner), nothing_known;
    inner.next();
    std::vector<Values> arguments;
    while (inner.peek() != ')' && inner.peek() != '\0' && arguments.size() < 32) {
        arguments.push_back(expression(inner, depth + 1));
        if (inner.peek() != ',') break;
        inner.next();
    }
    if (inner.peek() != ')') return skip_operand(inner), nothing_known;
    inner.next();
    return call_values(last, arguments);
}

} // namespace omnistasis::node
