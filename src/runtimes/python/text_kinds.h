#pragma once

#include <string>
#include <string_view>

namespace omnistasis::python {

// What a string constant in a source file may be, by its looks alone, and what it stands for.

/// Whether a character stands in names, other than at their start.
bool is_name_char(char c);

/// A name without dots, of at most 60 characters.
bool is_plain_name(std::string_view text);

/// "a.b", "a.b:c": parts that are names, with at least one dot.
bool is_dotted_name(std::string_view text);

/// Could be a relative path of a file or folder: short, of printable characters, no spaces at its ends, and
/// not a plain word of a sentence.
bool may_be_path(std::string_view text);

/// The module that an import statement in a text begins with: "from a.b import *", "import a.b"; empty where
/// the text is none.
std::string_view module_imported_by(std::string_view text);

/// importlib.util.resolve_name for a relative name: one dot in front stands for `anchor`, each more for the
/// package around that.
std::string absolute_name(std::string_view name, std::string_view anchor);

/// Whether a name begins a statement with a suite: "if", "def", "match".
bool is_header_keyword(std::string_view name);

/// Whether a field of a formatted string passes a test: `name!r` of f"{name!r}.x".
template <typename Test> bool any_field(std::string_view text, Test test) {
    for (std::size_t at = 0; (at = text.find('{', at)) != std::string_view::npos;) {
        std::string_view field = text.substr(++at);
        if (test(field.substr(0, field.find('}')))) return true;
    }
    return false;
}

} // namespace omnistasis::python
