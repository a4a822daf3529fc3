#include "runtimes/python/constants.h"

namespace omnistasis::python {

namespace {

/// A name with more possible texts than this is taken as unknown.
constexpr std::size_t most_texts = 500;

/// What is in front of the first place that is filled in later.
std::string before_field(std::string_view text, char opening) {
    std::string known;
    for (std::size_t i = 0; i < text.size(); ++i) {
        if (text[i] == opening) {
            if (i + 1 < text.size() && text[i + 1] == opening)
                ++i;
            else
                return known;
        }
        known += text[i];
    }
    return known;
}

} // namespace

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

Constants::Constants(std::string_view own_name, std::string_view package) {
    texts_["__name__"] = {{std::string(own_name), true}};
    texts_["__package__"] = {{std::string(package), true}};
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
                std::string known = before_field(value, '{');
                // A field that is a known name alone is filled in: f"{__name__}.x".
                text.exact = known.size() == value.size();
                if (!text.exact && known.empty() && value.starts_with("{")) {
                    std::size_t close = value.find('}');
                    auto found = close == std::string::npos
                                     ? texts_.end()
                                     : texts_.find(std::string_view(value).substr(1, close - 1));
                    if (found != texts_.end() && found->second.size() == 1 && found->second[0].exact) {
                        std::string rest = value.substr(close + 1);
                        known = found->second[0].text + before_field(rest, '{');
                        text.exact = rest.find('{') == std::string::npos;
                    }
                }
                text.text += known;
            } else {
                text.text += value;
            }
        }
        texts.push_back(std::move(text));
    } else if (first.is("(")) {
        std::size_t end = behind_closing(tokens, position);
        if (end > position + 1) texts = evaluate(tokens.subspan(position + 1, end - position - 2));
        position = end;
    } else if (first.kind == TokenKind::name) {
        if (auto found = texts_.find(first.text); found != texts_.end()) texts = found->second;
        ++position;
        bool has_tail = position < tokens.size() &&
                        (tokens[position].is("(") || tokens[position].is("[") || tokens[position].is("."));
        if (has_tail &&
            !(tokens[position].is(".") && position + 1 < tokens.size() && tokens[position + 1].is("format")))
            texts.clear();
    }
    // "...".format(...)
    if (position + 2 < tokens.size() && tokens[position].is(".") && tokens[position + 1].is("format") &&
        tokens[position + 2].is("(")) {
        for (PossibleText& text : texts) {
            std::string known = before_field(text.text, '{');
            text.exact = text.exact && known.size() == text.text.size();
            text.text = std::move(known);
        }
        position = behind_closing(tokens, position + 2);
    }
    return texts;
}

std::vector<PossibleText> Constants::evaluate(std::span<const Token> tokens) const {
    if (tokens.size() > 400) return {};
    std::size_t position = 0;
    std::vector<PossibleText> texts = operand(tokens, position);
    while (position < tokens.size() && !texts.empty()) {
        if (tokens[position].is("+")) {
            ++position;
            std::vector<PossibleText> next = operand(tokens, position);
            std::vector<PossibleText> joined;
            for (const PossibleText& left : texts) {
                if (!left.exact || next.empty()) {
                    joined.push_back({left.text, false});
                    continue;
                }
                for (const PossibleText& right : next)
                    if (joined.size() < most_texts) joined.push_back({left.text + right.text, right.exact});
            }
            if (next.empty()) return joined;
            texts = std::move(joined);
        } else if (tokens[position].is("%")) {
            for (PossibleText& text : texts) {
                std::string known = before_field(text.text, '%');
                text.exact = text.exact && known.size() == text.text.size();
                text.text = std::move(known);
            }
            return texts;
        } else {
            return {};
        }
    }
    return texts;
}

void Constants::assign(std::string_view name, std::span<const Token> expression) {
    add(name, evaluate(expression));
}

void Constants::loop_over(std::string_view name, std::span<const Token> elements) {
    std::vector<PossibleText> all;
    for (auto element : split_arguments(elements)) {
        auto texts = evaluate(element);
        if (texts.empty()) return add(name, {});
        all.insert(all.end(), texts.begin(), texts.end());
    }
    add(name, std::move(all));
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
