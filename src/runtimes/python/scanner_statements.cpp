#include "runtimes/python/condition.h"
#include "runtimes/python/known_calls.h"
#include "runtimes/python/source_walk.h"
#include "runtimes/python/started_programs.h"
#include "runtimes/python/text_kinds.h"
#include "runtimes/python/written_paths.h"
#include "support/files.h"

#include <algorithm>
#include <array>

namespace omnistasis::python {

void Scanner::read_statement(Tokens statement) {
    if (statement.empty()) return;
    // A docstring says nothing that runs.
    if (statement.size() == 1 && statement[0].kind == TokenKind::string) return;
    if (statement[0].is("import")) return read_import(statement);
    if (statement[0].is("from")) return read_from(statement);
    if (statement.size() > 2 && statement[0].kind == TokenKind::name && statement[1].is("="))
        constants_.assign(statement[0].text, statement.subspan(2));
    note_search_path(statement);
    note_file_paths(statement);
    read_expressions(statement);
}

/// os.path.join(HERE, "a", "b.txt"), Path(__file__).parent / "a": what expressions on the file's own path
/// give.
void Scanner::note_file_paths(Tokens tokens) {
    if (!facts_.keeps_strings || facts_.file.empty()) return;
    auto is_path = [&](const Token& token) {
        if (token.kind == TokenKind::name) return constants_.is_path(token.text);
        // f"{HERE}/a.txt"
        return token.kind == TokenKind::string && token.formatted &&
               any_field(token.text, [&](std::string_view field) {
                   return constants_.is_path(field.substr(0, field.find_first_of(".!:[( ")));
               });
    };
    if (std::ranges::none_of(tokens, is_path)) return;
    for (std::size_t i = 0; i < tokens.size(); ++i) {
        const Token& token = tokens[i];
        bool begins = token.kind == TokenKind::name || token.kind == TokenKind::string;
        bool at_start =
            i == 0 ||
            (tokens[i - 1].kind == TokenKind::op && !tokens[i - 1].is(".") && !tokens[i - 1].is(")") &&
             !tokens[i - 1].is("]") && !tokens[i - 1].is("/") && !tokens[i - 1].is("+")) ||
            tokens[i - 1].is("return") || tokens[i - 1].is("in") || tokens[i - 1].is("if") ||
            tokens[i - 1].is("yield") || tokens[i - 1].is("else") || tokens[i - 1].is("or");
        if (!begins || !at_start) continue;
        std::size_t end = i;
        while (end < tokens.size() && !ends_expression(tokens[end]))
            end = tokens[end].is("(") || tokens[end].is("[") || tokens[end].is("{")
                      ? behind_closing(tokens, end)
                      : end + 1;
        for (const PossibleText& text : constants_.evaluate(tokens.subspan(i, end - i)))
            if (text.text.starts_with('/') && text.text != facts_.file && result_.file_paths.size() < 500)
                result_.file_paths.push_back({text.text + (text.exact ? "" : "*"), token.line});
    }
}

bool Scanner::ends_expression(const Token& token) {
    return token.is(",") || token.is(")") || token.is("]") || token.is("}") || token.is(":") ||
           token.is("=") || token.is("for") || token.is("if") || token.is("else") || token.is("as") ||
           token.is("in") || token.is("and") || token.is("or");
}

/// sys.path.insert(0, FOLDER), sys.path.append(FOLDER), sys.path.extend([...]), sys.path[0:0] = [...],
/// sys.path += [...]
void Scanner::note_search_path(Tokens statement) {
    if (statement.size() < 5 || !statement[0].is("sys") || !statement[1].is(".") || !statement[2].is("path"))
        return;
    bool in_front = false;
    std::vector<Tokens> folders;
    auto in_list = [](Tokens list) {
        if (list.size() < 2 || !list[0].is("[") || behind_closing(list, 0) != list.size())
            return std::vector<Tokens>{};
        return split_arguments(list.subspan(1, list.size() - 2));
    };
    if (statement[3].is(".") && statement.size() > 6 && statement[5].is("(")) {
        std::size_t end = behind_closing(statement, 5);
        auto arguments = split_arguments(statement.subspan(6, end - 7));
        in_front = statement[4].is("insert");
        if (in_front && arguments.size() == 2) folders = {arguments[1]};
        if (statement[4].is("append") && arguments.size() == 1) folders = {arguments[0]};
        if (statement[4].is("extend") && arguments.size() == 1) folders = in_list(arguments[0]);
    } else if (statement[3].is("+=")) {
        folders = in_list(statement.subspan(4));
    } else if (statement[3].is("[")) {
        std::size_t end = behind_closing(statement, 3);
        in_front = true;
        if (end + 1 < statement.size() && statement[end].is("="))
            folders = in_list(statement.subspan(end + 1));
    }
    for (Tokens folder : folders)
        for (const PossibleText& text : constants_.evaluate(folder))
            if (text.exact && text.text.starts_with('/'))
                result_.search_path.push_back({(in_front ? "<" : "") + text.text, statement[0].line});
}

std::string Scanner::dotted_name(Tokens tokens, std::size_t& position) {
    std::string name;
    while (position < tokens.size() && tokens[position].kind == TokenKind::name) {
        name += tokens[position++].text;
        if (position + 1 >= tokens.size() || !tokens[position].is(".")) break;
        name += '.';
        ++position;
    }
    return name;
}

Request& Scanner::add_request(Request::Kind kind, std::uint32_t line, std::string module) {
    Request request;
    request.kind = kind;
    request.certainty = certainty();
    request.line = line;
    for (const Block& block : blocks_)
        if (block.handles_imports) {
            request.instead_of_first = static_cast<std::uint32_t>(block.first_request);
            request.instead_of_last = static_cast<std::uint32_t>(block.last_request);
        }
    request.taken_names = names_to_take(kind, module);
    request.module = std::move(module);
    return result_.requests.emplace_back(std::move(request));
}

void Scanner::read_import(Tokens statement) {
    for (std::size_t position = 1; position < statement.size();) {
        std::uint32_t line = statement[position].line;
        std::string name = dotted_name(statement, position);
        if (name.empty()) return;
        note_module(name);
        bool renamed = position + 1 < statement.size() && statement[position].is("as");
        if (renamed) imported_as_[statement[position + 1].text] = name;
        add_request(Request::Kind::module, line, std::move(name));
        if (position < statement.size() && statement[position].is("as")) position += 2;
        if (position >= statement.size() || !statement[position].is(",")) return;
        ++position;
    }
}

void Scanner::read_from(Tokens statement) {
    std::size_t position = 1;
    std::uint32_t level = 0;
    while (position < statement.size() && (statement[position].is(".") || statement[position].is("..."))) {
        level += static_cast<std::uint32_t>(statement[position].text.size());
        ++position;
    }
    std::uint32_t line = statement[0].line;
    std::string module;
    if (position < statement.size() && !statement[position].is("import"))
        module = dotted_name(statement, position);
    if (position >= statement.size() || !statement[position].is("import")) return;
    ++position;
    if (level == 0) note_module(module);
    if (position < statement.size() && statement[position].is("*")) {
        add_request(Request::Kind::everything_of, line, module).level = level;
        return;
    }
    if (position < statement.size() && statement[position].is("(")) ++position;
    while (position < statement.size() && statement[position].kind == TokenKind::name) {
        note_watched(statement[position]);
        note_taken(statement[position].text);
        Request& request = add_request(Request::Kind::from_module, statement[position].line, module);
        request.level = level;
        request.name = statement[position++].text;
        note_taken_name(module, request.name);
        bool renamed = position + 1 < statement.size() && statement[position].is("as");
        std::string_view called = renamed ? statement[position + 1].text : statement[position - 1].text;
        std::string base = level == 0 ? module : absolute_name(std::string(level, '.') + module, package_);
        if (base.ends_with('.')) base.pop_back();
        imported_as_[called] = base.empty() ? request.name : base + "." + request.name;
        if (position < statement.size() && statement[position].is("as")) position += 2;
        if (position >= statement.size() || !statement[position].is(",")) return;
        ++position;
    }
}

void Scanner::note_module(std::string_view name) {
    if (name == "importlib.resources" || name == "importlib_resources" || name == "pkg_resources")
        result_.names_own_file = true;
}

void Scanner::note_taken_name(std::string_view module, std::string_view name) {
    if ((module == "importlib" && name == "resources") || (module == "pkgutil" && name == "get_data"))
        result_.names_own_file = true;
}

} // namespace omnistasis::python
