#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::lua {

/// One token of Lua ("Lua 5.4 Reference Manual", section 3.1; 5.1 to 5.3 and LuaJIT differ in nothing that
/// matters here).
struct Token {
    enum class Kind : std::uint8_t { name, string, number, sign };
    Kind kind = Kind::sign;
    std::uint32_t line = 0;
    std::string text; ///< of a string its value, of the others what stands in the source

    bool is(std::string_view word) const { return kind != Kind::string && text == word; }
};

/// Splits a source into tokens, whatever bytes it holds: comments and a first line that begins with `#` give
/// none, bytes that are no Lua give signs, a string without its end goes to the end of its line.
std::vector<Token> tokens_of(std::string_view source);

} // namespace omnistasis::lua
