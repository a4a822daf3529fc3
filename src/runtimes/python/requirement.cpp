#include "runtimes/python/requirement.h"

#include "runtimes/python/distributions.h"
#include "runtimes/python/version_condition.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>

namespace omnistasis::python {

namespace {

bool is_space(char c) { return c == ' ' || c == '\t'; }

bool is_name_part(char c) {
    return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '-' || c == '_' || c == '.';
}

/// A marker's grammar: `or`, `and`, parentheses, comparisons of variables and quoted texts.
class Marker {
  public:
    Marker(std::string_view text, const MarkerVariables& variables, const std::set<std::string>& extras)
        : rest_(text), variables_(variables), extras_(extras) {}

    bool holds() {
        bool value = any_of();
        skip_spaces();
        return value || failed_ || !rest_.empty();
    }

  private:
    /// One side of a comparison.
    struct Side {
        std::string text;
        std::string variable; ///< empty for a quoted text
    };

    void skip_spaces() {
        while (!rest_.empty() && is_space(rest_.front())) rest_.remove_prefix(1);
    }

    bool take(std::string_view word) {
        skip_spaces();
        if (!rest_.starts_with(word)) return false;
        bool is_word = std::isalpha(static_cast<unsigned char>(word.front())) != 0;
        if (is_word && rest_.size() > word.size() && is_name_part(rest_[word.size()])) return false;
        rest_.remove_prefix(word.size());
        return true;
    }

    bool any_of() {
        bool value = all_of();
        while (!failed_ && take("or")) value = static_cast<int>(all_of()) | static_cast<int>(value);
        return value;
    }

    bool all_of() {
        bool value = operand();
        while (!failed_ && take("and")) value = static_cast<int>(operand()) & static_cast<int>(value);
        return value;
    }

    bool operand() {
        // Nesting of hostile metadata must not end the program.
        if (failed_ || depth_ > 100) return fail();
        if (take("(")) {
            ++depth_;
            bool value = any_of();
            --depth_;
            return take(")") ? value : fail();
        }
        Side left = side();
        std::string sign = comparison();
        Side right = side();
        return failed_ ? false : compare(left, sign, right);
    }

    Side side() {
        skip_spaces();
        if (rest_.empty()) return fail(), Side{};
        char quote = rest_.front();
        if (quote == '"' || quote == '\'') {
            std::size_t end = rest_.find(quote, 1);
            if (end == std::string_view::npos) return fail(), Side{};
            Side text{std::string(rest_.substr(1, end - 1)), {}};
            rest_.remove_prefix(end + 1);
            return text;
        }
        std::size_t end = 0;
        while (end < rest_.size() && is_name_part(rest_[end])) ++end;
        Side variable{{}, std::string(rest_.substr(0, end))};
        rest_.remove_prefix(end);
        auto known = variables_.find(variable.variable);
        if (known != variables_.end())
            variable.text = known->second;
        else if (variable.variable != "extra")
            fail();
        return variable;
    }

    std::string comparison() {
        for (std::string_view sign : {"===", "==", "!=", "<=", ">=", "~=", "<", ">"})
            if (take(sign)) return std::string(sign);
        if (take("in")) return "in";
        if (take("not") && take("in")) return "not in";
        fail();
        return {};
    }

    bool compare(const Side& left, const std::string& sign, const Side& right) const {
        if (left.variable == "extra" || right.variable == "extra") {
            bool asked = extras_.contains(every_extra) ||
                         extras_.contains(
                             normalized_distribution_name(left.variable == "extra" ? right.text : left.text));
            return sign == "!=" ? !asked : asked;
        }
        if (sign == "in") return right.text.find(left.text) != std::string::npos;
        if (sign == "not in") return right.text.find(left.text) == std::string::npos;
        bool is_version = left.variable.find("version") != std::string::npos ||
                          right.variable.find("version") != std::string::npos;
        if (is_version && sign == "~=") {
            // ~= 3.8: at least 3.8, and below 4
            std::string base = right.text.substr(0, right.text.rfind('.'));
            return compare_versions(left.text, right.text) >= 0 && (left.text + ".").starts_with(base + ".");
        }
        if (is_version && right.text.ends_with(".*")) {
            std::string base = right.text.substr(0, right.text.size() - 1);
            return (left.text + ".").starts_with(base) == (sign != "!=");
        }
        int order = is_version ? compare_versions(left.text, right.text) : left.text.compare(right.text);
        if (sign == "==" || sign == "===") return order == 0;
        if (sign == "!=") return order != 0;
        if (sign == "<") return order < 0;
        if (sign == "<=") return order <= 0;
        if (sign == ">") return order > 0;
        return order >= 0;
    }

    bool fail() {
        failed_ = true;
        return false;
    }

    std::string_view rest_;
    const MarkerVariables& variables_;
    const std::set<std::string>& extras_;
    int depth_ = 0;
    bool failed_ = false;
};

} // namespace

std::optional<Requirement> read_requirement(std::string_view line) {
    std::size_t start = line.find_first_not_of(" \t");
    if (start == std::string_view::npos) return std::nullopt;
    line.remove_prefix(start);
    std::size_t end = 0;
    while (end < line.size() && is_name_part(line[end])) ++end;
    // Names and versions become words of command lines.
    if (end == 0 || std::isalnum(static_cast<unsigned char>(line.front())) == 0) return std::nullopt;
    Requirement requirement;
    requirement.name = normalized_distribution_name(line.substr(0, end));
    std::string_view rest = line.substr(end);
    while (!rest.empty() && is_space(rest.front())) rest.remove_prefix(1);
    if (rest.starts_with('[')) {
        std::string_view list = rest.substr(
            1, rest.find(']') == std::string_view::npos ? std::string_view::npos : rest.find(']') - 1);
        for (std::size_t from = 0; from < list.size();) {
            std::size_t comma = std::min(list.find(',', from), list.size());
            std::string_view one = list.substr(from, comma - from);
            while (!one.empty() && is_space(one.front())) one.remove_prefix(1);
            while (!one.empty() && is_space(one.back())) one.remove_suffix(1);
            if (!one.empty()) requirement.extras.insert(normalized_distribution_name(one));
            from = comma + 1;
        }
        rest.remove_prefix(std::min(list.size() + 2, rest.size()));
    }
    requirement.versions = rest.substr(0, rest.find(';'));
    std::erase_if(requirement.versions, [](char c) { return is_space(c) || c == '(' || c == ')'; });
    bool is_version = std::ranges::all_of(requirement.versions, [](char c) {
        return is_name_part(c) || std::string_view("<>=!~,*+").find(c) != std::string_view::npos;
    });
    if (!is_version) requirement.versions.clear(); // an address: "@ file:///..."
    // A quoted text of the marker may hold a semicolon; a version or an address in front of it does not.
    if (std::size_t marker = line.find(';'); marker != std::string_view::npos)
        requirement.marker = line.substr(marker + 1);
    return requirement;
}

MarkerVariables marker_variables(int major, int minor, int micro, std::string_view platform,
                                 std::string_view machine) {
    std::string full = fmt::format("{}.{}.{}", major, minor, micro);
    std::string system = platform == "linux" ? "Linux" : platform == "darwin" ? "Darwin" : "Windows";
    return {{"python_version", fmt::format("{}.{}", major, minor)},
            {"python_full_version", full},
            {"os_name", platform == "win32" ? "nt" : "posix"},
            {"sys_platform", std::string(platform)},
            {"platform_system", system},
            {"platform_machine", std::string(machine)},
            {"platform_release", ""},
            {"platform_version", ""},
            {"platform_python_implementation", "CPython"},
            {"implementation_name", "cpython"},
            {"implementation_version", full}};
}

bool marker_holds(std::string_view marker, const MarkerVariables& variables,
                  const std::set<std::string>& extras) {
    if (marker.find_first_not_of(" \t") == std::string_view::npos) return true;
    return Marker(marker, variables, extras).holds();
}

} // namespace omnistasis::python
