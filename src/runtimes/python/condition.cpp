#include "runtimes/python/condition.h"

#include <charconv>
#include <compare>

namespace omnistasis::python {

namespace {

using Truth = std::optional<bool>;

class Condition {
  public:
    Condition(std::span<const Token> tokens, const ScanFacts& facts) : tokens_(tokens), facts_(facts) {}

    Truth any_of() {
        Truth result = all_of();
        while (take("or")) {
            Truth next = all_of();
            if (result == true || next == true)
                result = true;
            else if (!result || !next)
                result = std::nullopt;
            else
                result = false;
        }
        return result;
    }

    bool at_end() const { return position_ >= tokens_.size(); }

  private:
    Truth all_of() {
        Truth result = negated();
        while (take("and")) {
            Truth next = negated();
            if (result == false || next == false)
                result = false;
            else if (!result || !next)
                result = std::nullopt;
            else
                result = true;
        }
        return result;
    }

    Truth negated() {
        if (!take("not")) return operand();
        Truth inner = negated();
        return inner ? Truth(!*inner) : std::nullopt;
    }

    /// One operand; where it is nothing we know, everything up to the next `and` or `or` is passed over.
    Truth operand() {
        std::size_t start = position_;
        if (take("(")) {
            Truth inner = any_of();
            if (take(")") && (at_end() || peek().is("and") || peek().is("or") || peek().is(")")))
                return inner;
            position_ = start;
        } else if (Truth known = known_test(); ends_operand()) {
            return known;
        }
        position_ = start;
        skip_operand();
        return std::nullopt;
    }

    bool ends_operand() const { return at_end() || peek().is("and") || peek().is("or") || peek().is(")"); }

    void skip_operand() {
        int depth = 0;
        for (; !at_end(); ++position_) {
            const Token& token = peek();
            if (depth == 0 && ends_operand()) return;
            if (token.is("(") || token.is("[") || token.is("{")) ++depth;
            if (token.is(")") || token.is("]") || token.is("}")) --depth;
        }
    }

    Truth known_test() {
        if (take("True") || take("1")) return true;
        if (take("False") || take("0") || take("None")) return false;
        std::string name;
        while (!at_end() && peek().kind == TokenKind::name) {
            name += peek().text;
            ++position_;
            if (!take(".")) break;
            name += '.';
        }
        if (name == "TYPE_CHECKING" || name.ends_with(".TYPE_CHECKING")) return false;
        if (name == "__name__") return main_test();
        if (name == "sys.platform") return text_test(facts_.platform);
        if (name == "os.name") return text_test(facts_.os_name);
        bool knows_machine = name == "platform.machine" && !facts_.machine.empty();
        if (knows_machine && take("(") && take(")")) return text_test(facts_.machine);
        if (name == "platform.system" && take("(") && take(")")) return text_test(facts_.system);
        if (name == "sys.platform.startswith" && take("(") && !at_end() && peek().is_plain_string()) {
            bool matches = facts_.platform.starts_with(tokens_[position_++].text);
            return take(")") ? Truth(matches) : std::nullopt;
        }
        if (name == "sys.version_info.major") return number_test(facts_.major);
        if (name == "sys.version_info.minor") return number_test(facts_.minor);
        if (name == "sys.version_info") return version_test();
        return std::nullopt;
    }

    Truth text_test(const std::string& value) {
        bool equal = take("==");
        if (!equal && !take("!=")) return membership_test(value);
        if (at_end() || !peek().is_plain_string()) return std::nullopt;
        bool same = tokens_[position_++].text == value;
        return same == equal;
    }

    /// A module's own name is only known to be, or not to be, the main one.
    Truth main_test() {
        if (!take("==") || at_end() || !peek().is_plain_string() || peek().text != "__main__")
            return std::nullopt;
        ++position_;
        return facts_.is_main;
    }

    Truth membership_test(const std::string& value) {
        bool wanted = !take("not");
        if (!take("in")) return std::nullopt;
        if (!take("(") && !take("[") && !take("{")) return std::nullopt;
        bool found = false;
        while (!at_end() && peek().is_plain_string()) {
            found |= peek().text == value;
            ++position_;
            take(",");
        }
        if (!take(")") && !take("]") && !take("}")) return std::nullopt;
        return found == wanted;
    }

    Truth number_test(int value) {
        std::string_view comparison = at_end() ? std::string_view() : tokens_[position_++].text;
        if (auto number = take_number()) return compare(value <=> *number, comparison);
        return std::nullopt;
    }

    Truth version_test() {
        if (take("[")) {
            auto index = take_number();
            if (!index && take(":")) {
                // sys.version_info[:2]
                index = take_number();
                if (!index || *index > 2 || !take("]")) return std::nullopt;
                return version_tuple_test();
            }
            if (!index || *index > 1 || !take("]")) return std::nullopt;
            return number_test(*index == 0 ? facts_.major : facts_.minor);
        }
        return version_tuple_test();
    }

    Truth version_tuple_test() {
        std::string_view comparison = at_end() ? std::string_view() : tokens_[position_++].text;
        if (!take("(")) return std::nullopt;
        std::vector<int> wanted;
        while (auto number = take_number()) {
            wanted.push_back(*number);
            take(",");
        }
        if (!take(")") || wanted.empty()) return std::nullopt;
        // Only the first two parts are facts here; the real tuple is longer, so equal parts mean "greater".
        std::strong_ordering order = facts_.major <=> wanted[0];
        if (order == 0 && wanted.size() > 1) order = facts_.minor <=> wanted[1];
        if (order == 0 && wanted.size() > 2) return std::nullopt;
        if (order == 0 && (comparison == "==" || comparison == "!=")) return comparison == "==";
        if (order == 0) order = std::strong_ordering::greater;
        return compare(order, comparison);
    }

    static Truth compare(std::strong_ordering order, std::string_view comparison) {
        if (comparison == "==") return order == 0;
        if (comparison == "!=") return order != 0;
        if (comparison == "<") return order < 0;
        if (comparison == "<=") return order <= 0;
        if (comparison == ">") return order > 0;
        if (comparison == ">=") return order >= 0;
        return std::nullopt;
    }

    std::optional<int> take_number() {
        if (at_end() || peek().kind != TokenKind::number) return std::nullopt;
        int value = 0;
        auto text = peek().text;
        auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
        if (error != std::errc() || end != text.data() + text.size()) return std::nullopt;
        ++position_;
        return value;
    }

    const Token& peek() const { return tokens_[position_]; }
    bool take(std::string_view word) {
        if (at_end() || !peek().is(word)) return false;
        ++position_;
        return true;
    }

    std::span<const Token> tokens_;
    const ScanFacts& facts_;
    std::size_t position_ = 0;
};

/// Whether anything that we know facts about occurs at all; most conditions end here.
bool may_be_known(std::span<const Token> tokens) {
    for (const Token& token : tokens)
        if (token.is("sys") || token.is("os") || token.is("platform") || token.is("TYPE_CHECKING") ||
            token.is("__name__") || token.is("True") || token.is("False") || token.is("None") ||
            token.is("0") || token.is("1"))
            return true;
    return false;
}

/// Source from a file that was made to break parsers may nest deeper than any person's.
bool nests_too_deep(std::span<const Token> tokens) {
    std::size_t opening = 0;
    for (const Token& token : tokens) opening += token.is("(") || token.is("not");
    return opening > 500;
}

} // namespace

std::optional<bool> evaluate_condition(std::span<const Token> tokens, const ScanFacts& facts) {
    if (!may_be_known(tokens) || nests_too_deep(tokens)) return std::nullopt;
    Condition condition(tokens, facts);
    Truth result = condition.any_of();
    return condition.at_end() ? result : std::nullopt;
}

} // namespace omnistasis::python
