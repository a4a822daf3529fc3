#include "runtimes/python/version_condition.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <optional>

namespace omnistasis::python {

namespace {

bool is_digit(char c) { return std::isdigit(static_cast<unsigned char>(c)) != 0; }

/// Takes the next release number off a version; 0 where there is none.
unsigned long take_number(std::string_view& version) {
    unsigned long number = 0;
    auto [end, error] = std::from_chars(version.data(), version.data() + version.size(), number);
    if (error != std::errc()) return 0;
    version.remove_prefix(static_cast<std::size_t>(end - version.data()));
    if (version.size() > 1 && version[0] == '.' && is_digit(version[1])) version.remove_prefix(1);
    return number;
}

/// -1 for a version before the release ("rc1", "a2", "b1", ".dev0"), 1 for one after it (".post1"), else 0.
int stage(std::string_view rest) {
    while (!rest.empty() && (rest.front() == '.' || rest.front() == '-' || rest.front() == '_'))
        rest.remove_prefix(1);
    if (rest.empty() || rest.front() == '+') return 0;
    return rest.starts_with("post") || is_digit(rest.front()) ? 1 : -1;
}

struct Comparison {
    std::string_view sign;
    std::string_view version;
};

/// One part of a condition; nothing where it can't be read.
std::optional<Comparison> read_part(std::string_view part) {
    while (part.starts_with(' ')) part.remove_prefix(1);
    while (part.ends_with(' ')) part.remove_suffix(1);
    static constexpr std::array<std::string_view, 6> signs{"==", "!=", "<=", ">=", "<", ">"};
    for (std::string_view sign : signs) {
        if (!part.starts_with(sign)) continue;
        part.remove_prefix(sign.size());
        while (part.starts_with(' ')) part.remove_prefix(1);
        bool fits = std::ranges::all_of(part, [](char c) {
            return std::isalnum(static_cast<unsigned char>(c)) != 0 ||
                   std::string_view(".+-_!").find(c) != std::string_view::npos;
        });
        if (part.empty() || !is_digit(part.front()) || !fits) return std::nullopt;
        return Comparison{sign, part};
    }
    return std::nullopt;
}

template <typename Accept> bool all_parts(std::string_view condition, Accept accept) {
    for (;;) {
        std::size_t comma = condition.find(',');
        auto part = read_part(condition.substr(0, comma));
        if (!part || !accept(*part)) return false;
        if (comma == std::string_view::npos) return true;
        condition.remove_prefix(comma + 1);
    }
}

} // namespace

int compare_versions(std::string_view left, std::string_view right) {
    while (!left.empty() || !right.empty()) {
        bool numbers =
            (!left.empty() && is_digit(left.front())) || (!right.empty() && is_digit(right.front()));
        if (!numbers) break;
        unsigned long a = !left.empty() && is_digit(left.front()) ? take_number(left) : 0;
        unsigned long b = !right.empty() && is_digit(right.front()) ? take_number(right) : 0;
        if (a != b) return a < b ? -1 : 1;
    }
    return stage(left) - stage(right);
}

bool is_version_condition(std::string_view condition) {
    return all_parts(condition, [](const Comparison&) { return true; });
}

bool meets_version_condition(std::string_view version, std::string_view condition) {
    return all_parts(condition, [&](const Comparison& part) {
        int order = compare_versions(version, part.version);
        if (part.sign == "==") return order == 0;
        if (part.sign == "!=") return order != 0;
        if (part.sign == "<=") return order <= 0;
        if (part.sign == ">=") return order >= 0;
        return part.sign == "<" ? order < 0 : order > 0;
    });
}

} // namespace omnistasis::python
