#pragma once

#include "runtimes/node/lexer.h"
#include "runtimes/node/scanner.h"

#include <map>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::node {

/// What an expression may be: each text that it can have. `own_folder`, `own_file` and `unknown` stand in it
/// for what is not a text of the file.
using Values = std::vector<std::string>;

/// Whether anything is known of it.
bool is_known(const Values& values);

/// Whether a text begins with the file's own place.
bool has_place(const std::string& text);

/// Functions that make a path of their arguments.
bool is_path_function(std::string_view name);

/// The text that a string token stands for.
std::string string_value(const Lexer& lexer, const Token& token);

/// Passes over a group in parentheses, brackets or braces.
void skip_group(Lexer& inner);

/// Follows expressions: texts, sums, templates, choices, the file's own place, functions of paths, and names
/// of constants that are known. `inner` is in front of the expression, and then behind what was followed.
class KnownValues {
  public:
    /// Adds what a constant may be. Several of one name, in other parts of a file, count all.
    void add(const std::string& name, const Values& values);

    /// Null where nothing is known.
    const Values* find(std::string_view name) const;

    /// `a ? b : c`, `a || b`, `a ?? b`, sums.
    Values expression(Lexer& inner, std::size_t depth = 0) const;

    /// `a + b`
    Values sum(Lexer& inner, std::size_t depth = 0) const;

  private:
    Values template_values(Lexer& inner, const Token& head, std::size_t depth) const;
    Values operand(Lexer& inner, std::size_t depth) const;
    Values members(Lexer& inner, Values values) const;
    Values word_values(Lexer& inner, const Token& token, std::size_t depth) const;

    std::map<std::string, Values, std::less<>> constants_;
};

} // namespace omnistasis::node
