#include "runtimes/python/constants.h"

namespace omnistasis::python {

std::size_t behind_closing(std::span<const Token> tokens, std::size_t open) {
    int depth = 0;
    for (std::size_t i = open; i < tokens.size(); ++i) {
        if (tokens[i].is("(") || tokens[i].is("[") || tokens[i].is("{"))
            ++depth;
        else if ((tokens[i].is(")") || tokens[i].is("]") || tokens[i].is("}")) && --depth == 0)
            return i + 1;
    }
    return tokens.size();
}

std::vector<std::span<const Token>> split_arguments(std::span<const Token> inside) {
    std::vector<std::span<const Token>> parts;
    std::size_t start = 0;
    for (std::size_t i = 0; i < inside.size();) {
        if (inside[i].is("(") || inside[i].is("[") || inside[i].is("{")) {
            i = behind_closing(inside, i);
        } else if (inside[i].is(",")) {
            parts.push_back(inside.subspan(start, i - start));
            start = ++i;
        } else {
            ++i;
        }
    }
    if (start < inside.size()) parts.push_back(inside.subspan(start));
    return parts;
}

Constants::Constants(std::string_view own_name, std::string_view package, std::string_view file) {
    if (!file.empty()) texts_["__file__"] = {{std::string(file), true}};
    texts_["__name__"] = {{std::string(own_name), true}};
    texts_["__package__"] = {{std::string(package), true}};
}

namespace {

/// A name with more possible texts than this is taken as unknown.
constexpr std::size_t most_texts = 500;

using Tokens = std::span<const Token>;

/// Attributes of paths that give paths.
bool is_path_attribute(std::string_view name) {
    return name == "parent" || name == "parents" || name == "resolve" || name == "absolute" ||
           name == "joinpath" || name == "with_name" || name == "expanduser" || name == "as_posix";
}

/// os.path.join for two paths.
std::string joined(const std::string& left, const std::string& right) {
    if (right.starts_with('/') || left.empty()) return right;
    return left.ends_with('/') ? left + right : left + "/" + right;
}

std::string parent_folder(const std::string& path) {
    std::size_t slash = path.rfind('/');
    return slash == std::string::npos ? "" : slash == 0 ? "/" : path.substr(0, slash);
}

/// Fills in the fields in braces, up to the first for which `text_of` gives nothing.
template <typename TextOf> void fill_braces(PossibleText& text, TextOf text_of) {
    std::string filled, &form = text.text;
    for (std::size_t at = 0; at < form.size(); ++at) {
        bool is_double = at + 1 < form.size() && form[at + 1] == form[at];
        if ((form[at] == '{' || form[at] == '}') && is_double) {
            filled += form[at++];
        } else if (form[at] == '{') {
            std::size_t close = form.find('}', at);
            std::optional<std::string> known;
            if (close != std::string::npos) known = text_of(form.substr(at + 1, close - at - 1));
            if (!known) {
                text.exact = false;
                break;
            }
            filled += *known;
            at = close;
        } else {
            filled += form[at];
        }
    }
    text.text = std::move(filled);
}

} // namespace

/// A call or an attribute of one that makes a path of paths: at `position` is its dotted name.
bool Constants::path_call(std::span<const Token> tokens, std::size_t& position,
                          std::vector<PossibleText>& texts) const {
    std::size_t end = position + 1;
    while (end + 1 < tokens.size() && tokens[end].is(".") && tokens[end + 1].kind == TokenKind::name)
        end += 2;
    if (end >= tokens.size() || !tokens[end].is("(")) return false;
    std::string_view function = tokens[end - 1].text;
    bool joins = function == "join" && end >= position + 3 && tokens[end - 3].is("path");
    bool climbs = function == "dirname";
    bool keeps = function == "abspath" || function == "realpath" || function == "normpath" ||
                 function == "str" || function == "fspath" || function == "Path" || function == "PurePath";
    if (!joins && !climbs && !keeps) return false;
    std::size_t behind = behind_closing(tokens, end);
    if (behind < end + 2) return false;
    auto arguments = split_arguments(tokens.subspan(end + 1, behind - end - 2));
    std::string path;
    bool exact = !arguments.empty();
    for (std::size_t i = 0; i < arguments.size() && exact; ++i) {
        auto parts = evaluate(arguments[i]);
        // One text a part is enough: paths are hardly ever a matter of choice.
        if (parts.size() != 1) {
            exact = false;
            if (i == 0) return position = behind, true;
            break;
        }
        path = i == 0 ? parts[0].text : joined(path, parts[0].text);
        exact = parts[0].exact;
    }
    position = behind;
    if (climbs) {
        if (exact) texts.push_back({parent_folder(path), true});
    } else if (!path.empty()) {
        texts.push_back({path, exact});
    }
    return true;
}

std::vector<PossibleText> Constants::operand(std::span<const Token> tokens, std::size_t& position) const {
    std::vector<PossibleText> texts;
    if (position >= tokens.size()) return texts;
    const Token& first = tokens[position];
    if (first.kind == TokenKind::string && !first.bytes) {
        // Neighbouring literals are one string; the first field in one of them ends what is known.
        PossibleText text;
        for (; position < tokens.size() && tokens[position].kind == TokenKind::string; ++position) {
            if (!text.exact) continue;
            std::string value = string_value(tokens[position]);
            if (tokens[position].formatted) {
                // Fields that are known names alone are filled in: f"{__name__}.x".
                PossibleText filled{value};
                fill_braces(filled, [&](const std::string& field) { return only_text_of(field); });
                text.exact = filled.exact;
                text.text += filled.text;
            } else {
                text.text += value;
            }
        }
        texts.push_back(std::move(text));
    } else if (first.is("(")) {
        std::size_t end = behind_closing(tokens, position);
        if (end > position + 1) texts = evaluate(tokens.subspan(position + 1, end - position - 2));
        position = end;
    } else if (first.kind == TokenKind::name && path_call(tokens, position, texts)) {
    } else if (first.kind == TokenKind::name) {
        if (auto found = texts_.find(first.text); found != texts_.end()) texts = found->second;
        ++position;
        bool is_path_part = position + 1 < tokens.size() && tokens[position].is(".") &&
                            is_path_attribute(tokens[position + 1].text);
        bool has_tail = !is_path_part && position < tokens.size() &&
                        (tokens[position].is("(") || tokens[position].is("[") || tokens[position].is("."));
        if (has_tail &&
            !(tokens[position].is(".") && position + 1 < tokens.size() && tokens[position + 1].is("format")))
            texts.clear();
    }
    // Path(__file__).resolve().parent, .parents[1], .joinpath("a", "b"), .with_name("a")
    while (position + 1 < tokens.size() && tokens[position].is(".") &&
           is_path_attribute(tokens[position + 1].text)) {
        std::string_view attribute = tokens[position + 1].text;
        position += 2;
        bool opens = position < tokens.size() && (tokens[position].is("(") || tokens[position].is("["));
        std::size_t end = opens ? behind_closing(tokens, position) : position;
        Tokens inside =
            opens ? tokens.subspan(position + 1, end > position + 2 ? end - position - 2 : 0) : Tokens();
        position = end;
        std::size_t climbs = attribute == "parent" || attribute == "with_name" ? 1 : 0;
        if (attribute == "parents") {
            bool digit = inside.size() == 1 && inside[0].text.size() == 1 && inside[0].text[0] >= '0' &&
                         inside[0].text[0] <= '9';
            if (!digit) return {};
            climbs = static_cast<std::size_t>(inside[0].text[0] - '0') + 1;
        }
        for (PossibleText& text : texts)
            for (std::size_t up = 0; up < climbs; ++up) text.text = parent_folder(text.text);
        if (attribute != "joinpath" && attribute != "with_name") continue;
        for (Tokens part : split_arguments(inside)) {
            auto parts = evaluate(part);
            for (PossibleText& text : texts) {
                if (!text.exact) continue;
                text.exact = parts.size() == 1 && parts[0].exact;
                if (parts.size() == 1) text.text = joined(text.text, parts[0].text);
            }
        }
    }
    // ".".join([a, b])
    if (texts.size() == 1 && texts[0].exact && position + 2 < tokens.size() && tokens[position].is(".") &&
        tokens[position + 1].is("join") && tokens[position + 2].is("(")) {
        std::size_t end = behind_closing(tokens, position + 2);
        auto list = tokens.subspan(position + 3, end > position + 4 ? end - position - 4 : 0);
        bool literal =
            list.size() > 2 && (list[0].is("[") || list[0].is("(")) && behind_closing(list, 0) == list.size();
        position = end;
        std::string separator = texts[0].text;
        texts.clear();
        if (!literal) return texts;
        PossibleText sum;
        for (auto part : split_arguments(list.subspan(1, list.size() - 2))) {
            auto parts = evaluate(part);
            if (!sum.text.empty()) sum.text += separator;
            sum.exact = parts.size() == 1;
            if (sum.exact) sum = {sum.text + parts[0].text, parts[0].exact};
            if (!sum.exact) break;
        }
        if (!sum.text.empty()) texts.push_back(std::move(sum));
    }
    // "...".format(...)
    if (position + 2 < tokens.size() && tokens[position].is(".") && tokens[position + 1].is("format") &&
        tokens[position + 2].is("(")) {
        std::size_t end = behind_closing(tokens, position + 2);
        auto arguments =
            split_arguments(tokens.subspan(position + 3, end > position + 4 ? end - position - 4 : 0));
        for (PossibleText& text : texts) {
            std::size_t next = 0;
            fill_braces(text, [&](const std::string& field) { return field_text(field, arguments, next); });
        }
        position = end;
    }
    return texts;
}

/// The one text that an argument can be; nothing where there are several or none.
std::optional<std::string> Constants::only_text(std::span<const Token> tokens) const {
    auto texts = evaluate(tokens);
    if (texts.size() != 1 || !texts[0].exact) return std::nullopt;
    return texts[0].text;
}

/// "%s.flags" % (package,): filled in up to the first field that is not known.
void Constants::fill_percents(PossibleText& text,
                              const std::vector<std::span<const Token>>& arguments) const {
    std::string filled, &form = text.text;
    std::size_t next = 0;
    for (std::size_t at = 0; at < form.size(); ++at) {
        if (form[at] != '%') {
            filled += form[at];
            continue;
        }
        char kind = ++at < form.size() ? form[at] : '\0';
        if (kind == '%') {
            filled += '%';
            continue;
        }
        auto known = kind == 's' && next < arguments.size() ? only_text(arguments[next++]) : std::nullopt;
        if (!known) {
            text.exact = false;
            break;
        }
        filled += *known;
    }
    text.text = std::move(filled);
}

/// The text of one argument of "{}.flags".format(package), "{0}", "{name}". `next` counts those without a
/// name.
std::optional<std::string> Constants::field_text(const std::string& field,
                                                 const std::vector<std::span<const Token>>& arguments,
                                                 std::size_t& next) const {
    if (field.empty()) return next < arguments.size() ? only_text(arguments[next++]) : std::nullopt;
    if (field.size() == 1 && field[0] >= '0' && field[0] <= '9') {
        auto index = static_cast<std::size_t>(field[0] - '0');
        return index < arguments.size() ? only_text(arguments[index]) : std::nullopt;
    }
    for (Tokens one : arguments)
        if (one.size() > 2 && one[0].is(field) && one[1].is("=")) return only_text(one.subspan(2));
    return std::nullopt;
}

/// The one text that a name stands for; nothing where there are several or none.
std::optional<std::string> Constants::only_text_of(std::string_view name) const {
    auto known = texts_.find(name);
    bool is_one = known != texts_.end() && known->second.size() == 1 && known->second[0].exact;
    return is_one ? std::optional(known->second[0].text) : std::nullopt;
}

std::vector<PossibleText> Constants::evaluate(std::span<const Token> tokens) const {
    if (tokens.size() > 400) return {};
    std::size_t position = 0;
    std::vector<PossibleText> texts = operand(tokens, position);
    while (position < tokens.size() && !texts.empty()) {
        if (tokens[position].is("+") || tokens[position].is("/")) {
            bool is_path = tokens[position].is("/");
            ++position;
            std::vector<PossibleText> next = operand(tokens, position);
            std::vector<PossibleText> sums;
            for (const PossibleText& left : texts) {
                if (!left.exact || next.empty()) {
                    sums.push_back({left.text, false});
                    continue;
                }
                for (const PossibleText& right : next)
                    if (sums.size() < most_texts)
                        sums.push_back(
                            {is_path ? joined(left.text, right.text) : left.text + right.text, right.exact});
            }
            if (next.empty()) return sums;
            texts = std::move(sums);
        } else if (tokens[position].is("%")) {
            Tokens right = tokens.subspan(position + 1);
            bool several = !right.empty() && right[0].is("(") && behind_closing(right, 0) == right.size();
            auto arguments =
                several ? split_arguments(right.subspan(1, right.size() - 2)) : std::vector<Tokens>{right};
            for (PossibleText& text : texts) fill_percents(text, arguments);
            return texts;
        } else {
            return {};
        }
    }
    return texts;
}

bool Constants::is_path(std::string_view name) const {
    auto known = texts_.find(name);
    return known != texts_.end() && !known->second.empty() && known->second[0].text.starts_with('/');
}

void Constants::assign(std::string_view name, std::span<const Token> expression) {
    // Names to choose from are few; long lists are data.
    constexpr std::size_t longest_list = 150;
    if (expression.size() > 2 && expression.size() <= longest_list &&
        expression[1].kind == TokenKind::string && (expression[0].is("[") || expression[0].is("(")) &&
        behind_closing(expression, 0) == expression.size()) {
        auto elements = elements_of(expression.subspan(1, expression.size() - 2));
        auto [entry, is_new] = lists_.try_emplace(name);
        entry->second = is_new ? std::move(elements) : std::vector<PossibleText>();
    }
    add(name, evaluate(expression));
}

/// The texts of all elements; none where one of them is not known.
std::vector<PossibleText> Constants::elements_of(std::span<const Token> elements) const {
    std::vector<PossibleText> all;
    for (auto element : split_arguments(elements)) {
        auto texts = evaluate(element);
        if (texts.empty()) return {};
        all.insert(all.end(), texts.begin(), texts.end());
        if (all.size() > most_texts) return {};
    }
    return all;
}

void Constants::loop_over(std::string_view name, std::span<const Token> elements) {
    if (elements.size() == 1 && elements[0].kind == TokenKind::name) {
        auto list = lists_.find(elements[0].text);
        return add(name, list == lists_.end() ? std::vector<PossibleText>() : list->second);
    }
    add(name, elements_of(elements));
}

void Constants::add(std::string_view name, std::vector<PossibleText> texts) {
    auto [entry, is_new] = texts_.try_emplace(name);
    if (texts.empty() || (!is_new && entry->second.empty()) ||
        entry->second.size() + texts.size() > most_texts)
        entry->second.clear();
    else
        entry->second.insert(entry->second.end(), texts.begin(), texts.end());
}

} // namespace omnistasis::python
