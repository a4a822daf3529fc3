#pragma once

#include "runtimes/lua/lexer.h"

#include <map>
#include <span>
#include <string>
#include <vector>

namespace omnistasis::lua {

/// What an expression may be: texts, in which the marks of scanner.h stand for what only a run knows.
using Values = std::vector<std::string>;

/// Evaluates expressions as far as constants show them: strings, concatenations, variables that were assigned
/// such, string.format, and the usual ways to the folder of a source (arg[0], debug.getinfo, `...`).
class Evaluator {
  public:
    Evaluator(std::span<const Token> tokens, std::string module)
        : tokens_(tokens), module_(std::move(module)) {}

    /// The values of the expression that begins at `at`, which moves behind it. Never empty.
    Values expression(std::size_t& at) const;

    /// The same for each expression of a list that ends at `)`; `at` is behind the `(`.
    std::vector<Values> arguments(std::size_t at) const;

    /// A name with its fields as it stands in the source, "a.b.c"; `at` moves behind it. Empty where none is.
    std::string dotted_name(std::size_t& at) const;

    /// The index behind the bracket that closes the one at `at`.
    std::size_t behind_closing(std::size_t at) const;

    void assign(const std::string& name, const Values& values);
    void assign_table(const std::string& name, std::size_t at); ///< `at` is at its `{`
    void assign_items(const std::string& key, const std::string& value, const std::string& table);

    bool is_at(std::size_t at, std::string_view word) const {
        return at < tokens_.size() && tokens_[at].is(word);
    }

    bool is_in_function = false; ///< there `...` is not the module's name

  private:
    struct Table {
        Values keys, items;
    };
    Values concatenation(std::size_t& at) const;
    Values operand(std::size_t& at) const;
    Values with_suffixes(Values values, std::size_t& at) const;
    Values called(const std::string& function, const std::vector<Values>& arguments) const;
    Values method(const std::string& name, const Values& values, const std::vector<Values>& arguments) const;

    std::span<const Token> tokens_;
    std::string module_;
    std::map<std::string, Values> variables_;
    std::map<std::string, Table> tables_;
};

} // namespace omnistasis::lua
