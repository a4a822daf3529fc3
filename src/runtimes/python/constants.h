#pragma once

#include "runtimes/python/lexer.h"

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

namespace omnistasis::python {

/// A text that an expression may have, as far as it is known before the program runs.
struct PossibleText {
    std::string text;  ///< the whole text, or its known beginning
    bool exact = true; ///< false where more text follows that is not known
};

/// The names that stand for known texts in a source file. A name that is bound more than once keeps all its
/// texts; one that is also bound to something unknown is forgotten. The source must outlive this.
class Constants {
  public:
    /// `file` stands for __file__; empty where it is not known.
    Constants(std::string_view own_name, std::string_view package, std::string_view file = {});

    /// What `tokens` can evaluate to: string literals, known names, +, %, .format(), f-strings, __name__,
    /// __package__, __file__; paths by os.path.join, dirname, abspath and the like, Path(), its `/` and
    /// .parent. Empty where not even the beginning is known.
    std::vector<PossibleText> evaluate(std::span<const Token> tokens) const;

    /// Whether a name stands for an absolute path.
    bool is_path(std::string_view name) const;

    /// Notes `name = expression`.
    void assign(std::string_view name, std::span<const Token> expression);
    /// Notes that `name` runs through the elements of a literal tuple, list or set, or those of a name that
    /// was bound to one.
    void loop_over(std::string_view name, std::span<const Token> elements);

  private:
    using KnownTexts =
        std::unordered_map<std::string_view, std::vector<PossibleText>>; ///< views into the source
    std::vector<PossibleText> operand(std::span<const Token> tokens, std::size_t& position) const;
    bool path_call(std::span<const Token> tokens, std::size_t& position,
                   std::vector<PossibleText>& texts) const;
    std::optional<std::string> only_text(std::span<const Token> tokens) const;
    void fill_percents(PossibleText& text, const std::vector<std::span<const Token>>& arguments) const;
    std::optional<std::string> only_text_of(std::string_view name) const;
    std::optional<std::string> field_text(const std::string& field,
                                          const std::vector<std::span<const Token>>& arguments,
                                          std::size_t& next) const;
    void add(std::string_view name, std::vector<PossibleText> texts);
    KnownTexts texts_;
    std::unordered_map<std::string_view, std::vector<PossibleText>> lists_; ///< names that are literal lists
    std::vector<PossibleText> elements_of(std::span<const Token> elements) const;
};

/// The index behind the bracket that closes the one at `open`, or the size where none does.
std::size_t behind_closing(std::span<const Token> tokens, std::size_t open);

/// Splits what is between brackets at its top-level commas.
std::vector<std::span<const Token>> split_arguments(std::span<const Token> inside);

} // namespace omnistasis::python
