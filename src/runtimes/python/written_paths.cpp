#include "runtimes/python/written_paths.h"

#include <algorithm>

namespace omnistasis::python {

namespace {

using Tokens = std::span<const Token>;

/// Whether one of the arguments is a mode for writing: "w", "ab", mode="r+"
bool opens_for_writing(const std::vector<Tokens>& arguments, std::size_t first) {
    for (std::size_t i = first; i < arguments.size(); ++i) {
        Tokens mode = arguments[i];
        bool keyword = mode.size() > 2 && mode[1].is("=");
        if (keyword && !mode[0].is("mode")) continue;
        if (keyword) mode = mode.subspan(2);
        if (mode.size() != 1 || !mode[0].is_plain_string() || mode[0].text.size() > 4) continue;
        return mode[0].text.find_first_of("wax+") != std::string_view::npos;
    }
    return false;
}

/// What stands in front of `.name(`: a name, or an expression in brackets.
Tokens receiver(Tokens tokens, std::size_t callee) {
    if (callee < 2 || !tokens[callee - 1].is(".")) return {};
    std::size_t end = callee - 1;
    if (tokens[end - 1].kind == TokenKind::name) {
        bool is_part = end >= 2 && tokens[end - 2].is(".");
        return is_part ? Tokens() : tokens.subspan(end - 1, 1);
    }
    for (std::size_t open = 0; open < end; ++open)
        if (tokens[open].is("(") && behind_closing(tokens, open) == end) {
            // Path(x).write_text(...): the call's name belongs to it.
            bool is_call = open > 0 && tokens[open - 1].kind == TokenKind::name;
            return tokens.subspan(is_call ? open - 1 : open, end - (is_call ? open - 1 : open));
        }
    return {};
}

} // namespace

std::vector<std::string> written_paths(const Constants& constants, Tokens tokens, std::size_t callee,
                                       const std::vector<Tokens>& arguments) {
    std::string_view name = tokens[callee].text;
    Tokens before = receiver(tokens, callee);
    auto of_module = [&](std::string_view module) { return before.size() == 1 && before[0].is(module); };
    Tokens path;
    if (name == "write_text" || name == "write_bytes" || name == "touch") {
        path = before;
    } else if (name == "open" && of_module("shelve")) {
        if (!arguments.empty()) path = arguments[0];
    } else if (name == "open" && !arguments.empty()) {
        bool is_function = before.empty() || of_module("io") || of_module("gzip") || of_module("codecs");
        if (opens_for_writing(arguments, is_function ? 1 : 0)) path = is_function ? arguments[0] : before;
    } else if ((name == "connect" && (of_module("sqlite3") || of_module("sqlite"))) ||
               name == "FileHandler" || name == "RotatingFileHandler" || name == "TimedRotatingFileHandler") {
        if (!arguments.empty()) path = arguments[0];
    }
    std::vector<std::string> paths;
    if (path.empty()) return paths;
    for (const PossibleText& text : constants.evaluate(path))
        if (text.exact && !text.text.empty() && text.text.front() != ':') paths.push_back(text.text);
    return paths;
}

} // namespace omnistasis::python
