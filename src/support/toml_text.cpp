#include "support/toml_text.h"

#include <fmt/format.h>

namespace omnistasis {

std::string toml_quoted(std::string_view text) {
    std::string result = "\"";
    for (char c : text) {
        if (c == '"' || c == '\\') result += '\\';
        if (static_cast<unsigned char>(c) < 0x20 || c == 0x7F)
            result += fmt::format("\\u{:04X}", static_cast<unsigned>(c));
        else
            result += c;
    }
    return result + "\"";
}

} // namespace omnistasis
