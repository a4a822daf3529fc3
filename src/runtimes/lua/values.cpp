#include "runtimes/lua/values.h"

#include "runtimes/lua/scanner.h"

#include <algorithm>
#include <array>

namespace omnistasis::lua {

namespace {

constexpr std::size_t most_values = 24;
constexpr std::size_t longest_value = 4096;
constexpr std::size_t deepest = 60; ///< of nested expressions

const Values& nothing_known() {
    static const Values values{std::string(1, unknown)};
    return values;
}

void add(Values& values, const std::string& value) {
    if (values.size() < most_values && value.size() <= longest_value &&
        std::ranges::find(values, value) == values.end())
        values.push_back(value);
}

/// Every value of the one followed by every value of the other.
Values joined(const Values& left, const Values& right) {
    Values out;
    for (const std::string& first : left)
        for (const std::string& second : right) {
            bool both_unknown = first.ends_with(unknown) && second.starts_with(unknown);
            add(out, first + (both_unknown ? second.substr(1) : second));
        }
    return out;
}

/// What is left of a path once its last part is taken away, with and without the slash.
void add_folder_of(const std::string& path, Values& out) {
    std::size_t own = path.find(own_file), entry = path.find(entry_file);
    if (own != std::string::npos || entry != std::string::npos) {
        char mark = own != std::string::npos ? own_folder : entry_folder;
        add(out, std::string{mark, '/'});
        add(out, std::string(1, mark));
    } else if (path.find(own_folder) != std::string::npos || path.find(entry_folder) != std::string::npos) {
        add(out, path);
        if (std::size_t slash = path.rfind('/'); slash != std::string::npos && slash + 1 < path.size()) {
            add(out, path.substr(0, slash + 1));
            add(out, path.substr(0, slash));
        }
    }
}

bool is_path_of_source(const std::string& value) {
    return value.find_first_of(std::string{own_file, entry_file, own_folder, entry_folder}) !=
           std::string::npos;
}

} // namespace

std::size_t Evaluator::behind_closing(std::size_t at) const {
    std::size_t depth = 0;
    for (; at < tokens_.size(); ++at) {
        if (tokens_[at].kind != Token::Kind::sign) continue;
        char c = tokens_[at].text[0];
        if (c == '(' || c == '[' || c == '{') ++depth;
        if ((c == ')' || c == ']' || c == '}') && --depth == 0) return at + 1;
    }
    return at;
}

std::string Evaluator::dotted_name(std::size_t& at) const {
    static constexpr std::array<std::string_view, 22> keywords{
        "and", "break", "do",  "else", "elseif", "end",    "false",  "for",  "function", "goto",  "if",
        "in",  "local", "nil", "not",  "or",     "repeat", "return", "then", "true",     "until", "while"};
    std::string name;
    while (at < tokens_.size() && tokens_[at].kind == Token::Kind::name) {
        if (name.empty() && std::ranges::find(keywords, tokens_[at].text) != keywords.end()) return {};
        name += tokens_[at++].text;
        bool goes_on = is_at(at, ".") && at + 1 < tokens_.size() && tokens_[at + 1].kind == Token::Kind::name;
        if (!goes_on) break;
        name += '.';
        ++at;
    }
    return name;
}

Values Evaluator::expression(std::size_t& at) const {
    static thread_local std::size_t depth = 0;
    if (depth >= deepest) {
        ++at;
        return nothing_known();
    }
    ++depth;
    Values values = concatenation(at);
    while (is_at(at, "or") || is_at(at, "and")) {
        // `a and b` is b where anything is shown by constants.
        bool both = is_at(at++, "or");
        Values right = concatenation(at);
        if (!both) values.clear();
        for (const std::string& value : right) add(values, value);
    }
    --depth;
    if (values.size() > 1) std::erase(values, std::string(1, unknown));
    return values.empty() ? nothing_known() : values;
}

Values Evaluator::concatenation(std::size_t& at) const {
    Values values = operand(at);
    while (is_at(at, "..")) values = joined(values, operand(++at));
    return values;
}

Values Evaluator::operand(std::size_t& at) const {
    if (at >= tokens_.size()) return nothing_known();
    const Token& token = tokens_[at];
    if (token.kind == Token::Kind::string || token.kind == Token::Kind::number) {
        ++at;
        return {token.text};
    }
    if (token.is("(")) {
        std::size_t inner = at + 1;
        Values values = expression(inner);
        at = behind_closing(at);
        return with_suffixes(std::move(values), at);
    }
    if (token.is("...")) {
        ++at;
        return module_.empty() || is_in_function ? nothing_known() : Values{module_};
    }
    if (token.is("{")) {
        at = behind_closing(at);
        return nothing_known();
    }
    std::string name = dotted_name(at);
    if (name.empty()) {
        if (token.kind == Token::Kind::sign) ++at;
        return nothing_known();
    }
    if (name == "arg" && is_at(at, "[") && is_at(at + 1, "0") && is_at(at + 2, "]")) {
        at += 3;
        return with_suffixes({std::string(1, entry_file)}, at);
    }
    if (is_at(at, "(")) {
        auto given = arguments(at + 1);
        at = behind_closing(at);
        if (name == "debug.getinfo") {
            if (is_at(at, ".")) at += 2;
            return with_suffixes({std::string(1, own_file)}, at);
        }
        return with_suffixes(called(name, given), at);
    }
    if (name == "package.path" || name == "package.cpath") return {std::string(1, path_before)};
    auto known = variables_.find(name);
    // A field of what debug.getinfo gave: info.source
    if (known == variables_.end() && name.find('.') != std::string::npos) {
        auto of = variables_.find(name.substr(0, name.rfind('.')));
        if (of != variables_.end() && of->second == Values{std::string(1, own_file)}) known = of;
    }
    return with_suffixes(known == variables_.end() ? nothing_known() : known->second, at);
}

Values Evaluator::with_suffixes(Values values, std::size_t& at) const {
    while (at < tokens_.size()) {
        if (is_at(at, ":") && at + 1 < tokens_.size() && tokens_[at + 1].kind == Token::Kind::name) {
            std::string name = tokens_[at + 1].text;
            at += 2;
            std::vector<Values> given;
            if (is_at(at, "(")) {
                given = arguments(at + 1);
                at = behind_closing(at);
            } else if (at < tokens_.size() && tokens_[at].kind == Token::Kind::string) {
                given.push_back({tokens_[at++].text});
            } else {
                return nothing_known();
            }
            values = method(name, values, given);
        } else if (is_at(at, ".") || is_at(at, "[") || is_at(at, "(")) {
            at = is_at(at, ".") ? at + 2 : behind_closing(at);
            bool is_source = values == Values{std::string(1, own_file)};
            if (!is_source) values = nothing_known();
        } else {
            break;
        }
    }
    return values;
}

std::vector<Values> Evaluator::arguments(std::size_t at) const {
    constexpr std::size_t most_arguments = 8;
    std::vector<Values> list;
    while (at < tokens_.size() && !is_at(at, ")") && list.size() < most_arguments) {
        std::size_t before = at;
        list.push_back(expression(at));
        // What was not understood: on to the next comma of this list.
        while (at < tokens_.size() && !is_at(at, ",") && !is_at(at, ")")) {
            bool opens = is_at(at, "(") || is_at(at, "[") || is_at(at, "{");
            at = opens ? behind_closing(at) : at + 1;
            list.back() = nothing_known();
        }
        if (is_at(at, ",")) ++at;
        if (at == before) break;
    }
    return list;
}

Values Evaluator::called(const std::string& function, const std::vector<Values>& arguments) const {
    if (arguments.empty()) return nothing_known();
    if (function.starts_with("string.")) {
        std::vector<Values> rest(arguments.begin() + 1, arguments.end());
        return method(function.substr(7), arguments[0], rest);
    }
    if (function == "tostring" || function == "assert") return arguments[0];
    // dirname(arg[0]), path.dirname(debug.getinfo(1).source), join(folder, "x")
    Values values;
    for (const std::string& value : arguments[0])
        if (is_path_of_source(value)) add_folder_of(value, values);
    if (values.empty()) return nothing_known();
    if (function.ends_with("join") || function.ends_with("concat"))
        for (std::size_t i = 1; i < arguments.size(); ++i)
            values = joined(joined(values, {"/"}), arguments[i]);
    return values;
}

Values Evaluator::method(const std::string& name, const Values& values,
                         const std::vector<Values>& arguments) const {
    Values out;
    if (name == "format") {
        for (const std::string& format : values) {
            Values made{""};
            std::size_t next = 0;
            for (std::size_t i = 0; i < format.size(); ++i) {
                if (format[i] != '%' || i + 1 >= format.size()) {
                    made = joined(made, {std::string(1, format[i])});
                } else if (format[++i] == '%') {
                    made = joined(made, {"%"});
                } else {
                    bool plain = format[i] == 's' || format[i] == 'd' || format[i] == 'i';
                    made = joined(made, plain && next < arguments.size() ? arguments[next] : nothing_known());
                    ++next;
                    while (!plain && i + 1 < format.size() &&
                           std::isalpha(static_cast<unsigned char>(format[i])) == 0)
                        ++i;
                }
            }
            for (const std::string& value : made) add(out, value);
        }
        return out.empty() ? nothing_known() : out;
    }
    if (name == "sub" || name == "match" || name == "gsub" || name == "find") {
        for (const std::string& value : values) {
            if (is_path_of_source(value)) {
                if (name == "sub") add(out, value);
                add_folder_of(value, out);
            } else if (!module_.empty() && value == module_) {
                std::size_t dot = module_.rfind('.');
                std::string parent = dot == std::string::npos ? std::string() : module_.substr(0, dot);
                add(out, parent);
                if (!parent.empty()) add(out, parent + ".");
                add(out, value);
            }
        }
        return out.empty() ? nothing_known() : out;
    }
    return nothing_known();
}

void Evaluator::assign(const std::string& name, const Values& values) {
    Values& known = variables_[name];
    for (const std::string& value : values) add(known, value);
}

void Evaluator::assign_table(const std::string& name, std::size_t at) {
    Table& table = tables_[name];
    std::size_t end = behind_closing(at);
    std::size_t depth = 0;
    for (std::size_t i = at; i + 1 < end; ++i) {
        if (is_at(i, "{") || is_at(i, "(")) ++depth;
        if (is_at(i, "}") || is_at(i, ")")) --depth;
        if (depth != 1) continue;
        const Token& token = tokens_[i];
        bool is_key = is_at(i + 1, "=") || (is_at(i + 1, "]") && is_at(i + 2, "="));
        if (is_key && token.kind != Token::Kind::sign) {
            add(table.keys, token.text);
            // Its field, by the table's name.
            std::size_t value = i + (is_at(i + 1, "=") ? 2 : 3);
            if (!is_at(value, "{")) assign(name + "." + token.text, expression(value));
        } else if (token.kind == Token::Kind::string) {
            add(table.items, token.text);
        }
    }
}

void Evaluator::assign_items(const std::string& key, const std::string& value, const std::string& table) {
    auto known = tables_.find(table);
    if (known == tables_.end()) return;
    if (!key.empty()) assign(key, known->second.keys);
    if (!value.empty()) assign(value, known->second.items);
}

} // namespace omnistasis::lua
