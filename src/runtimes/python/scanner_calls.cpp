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

void Scanner::read_expressions(Tokens tokens) {
    for (std::size_t i = 0; i < tokens.size(); ++i) {
        const Token& token = tokens[i];
        if (token.kind == TokenKind::string) {
            note_string(tokens, i);
        } else if (token.kind == TokenKind::name) {
            if (i > 0 && tokens[i - 1].is(".")) note_taken(token.text);
            if (i + 1 < tokens.size() && tokens[i + 1].is("(")) {
                std::size_t end = behind_closing(tokens, i + 1);
                Tokens inside = tokens.subspan(i + 2, end > i + 2 ? end - i - 3 : 0);
                auto arguments = split_arguments(inside);
                note_running(tokens, i, arguments);
                read_call(token, arguments);
                note_started(tokens, i, arguments);
                if (facts_.is_own)
                    for (std::string& path : written_paths(constants_, tokens, i, arguments))
                        result_.written_paths.push_back({std::move(path), token.line});
            } else {
                note_name(tokens, i);
            }
        }
    }
}

namespace {

/// Whether an expression names an interpreter: `sys.executable`, `self.python`, f"{sys.executable}"; what is
/// only said of one, in a text, does not.
bool names_interpreter(Tokens tokens) {
    auto is_named_in = [](std::string_view text) {
        return text.find("executable") != std::string_view::npos ||
               text.find("python") != std::string_view::npos;
    };
    return std::ranges::any_of(tokens, [&](const Token& token) {
        if (token.kind == TokenKind::name) return is_named_in(token.text);
        return token.kind == TokenKind::string && token.formatted && any_field(token.text, is_named_in);
    });
}

/// The module of "{sys.executable} -m module and more"; empty where there is none.
std::string_view module_behind_option(std::string_view text) {
    constexpr std::string_view option = " -m ";
    std::size_t at = text.find(option);
    if (at == std::string_view::npos) return {};
    text.remove_prefix(at + option.size());
    return text.substr(0, text.find_first_of(" \t\n'\"{%&;|<>"));
}

} // namespace

/// [sys.executable, "-m", "package"], f"{sys.executable} -m package": the interpreter is started to run a
/// module, of a package its __main__.
void Scanner::note_run_module(Tokens tokens, std::size_t i) {
    const Token& token = tokens[i];
    std::string_view module;
    if (token.text == "-m" && i + 2 < tokens.size() && tokens[i + 1].is(",") &&
        tokens[i + 2].is_plain_string())
        module = tokens[i + 2].text;
    else
        module = module_behind_option(token.text);
    if (module.empty() || !is_dotted_name("x." + std::string(module)) || !names_interpreter(tokens)) return;
    Request& request = add_request(Request::Kind::from_module, token.line, std::string(module));
    request.name = "__main__";
    request.certainty = Certainty::guarded;
    request.computed = true;
}

void Scanner::note_string(Tokens tokens, std::size_t i) {
    const Token& token = tokens[i];
    if (facts_.keeps_strings && !token.bytes) note_run_module(tokens, i);
    if (token.bytes || token.formatted) return;
    if (is_plain_name(token.text)) note_taken(token.text);
    if (!facts_.keeps_strings) return;
    note_watched(token);
    if (facts_.is_own && facts_.known_programs != nullptr) {
        std::string_view word = token.text.substr(0, token.text.find_first_of(" \t\n"));
        if (facts_.known_programs->contains(word))
            result_.programs.push_back({std::string(word), token.line});
    }
    // Neighbours in an implicit concatenation are never names of their own.
    bool joined = (i > 0 && tokens[i - 1].kind == TokenKind::string) ||
                  (i + 1 < tokens.size() && tokens[i + 1].kind == TokenKind::string);
    if (joined || token.text.size() > 200) return;
    bool relative = token.text.size() > 1 && token.text[0] == '.' && token.text[1] != '.' &&
                    is_dotted_name("x" + std::string(token.text));
    if (relative || is_dotted_name(token.text))
        result_.dotted_strings.push_back({std::string(token.text), token.line});
    // One of a list: a setting may name packages so.
    bool listed = i > 0 && (tokens[i - 1].is("[") || tokens[i - 1].is("(") || tokens[i - 1].is(","));
    if (facts_.is_own && listed && !relative && is_dotted_name("x." + std::string(token.text)))
        result_.listed_words.push_back({std::string(token.text), token.line});
    note_code(token);
    if (token.text.starts_with("lib") && is_library_name(std::string(token.text)) &&
        token.text.find_first_of("/%{") == std::string_view::npos)
        result_.libraries.push_back({std::string(token.text), token.line});
    bool absolute = facts_.is_own && token.text.size() > 3 && token.text[0] == '/' &&
                    token.text.find_first_of("\n\t*<>|;") == std::string_view::npos;
    if (absolute || token.text.starts_with("/usr/share/") || token.text.starts_with("/etc/"))
        result_.system_paths.push_back({string_value(token), token.line});
    if (may_be_path(token.text)) result_.path_strings.push_back({string_value(token), token.line});
}

/// exec("from package.settings import *")
void Scanner::note_code(const Token& token) {
    std::string_view module = module_imported_by(token.text);
    if (!module.empty()) result_.code_strings.push_back({std::string(module), token.line});
}

void Scanner::note_watched(const Token& token) {
    if (facts_.watched == nullptr || !facts_.watched->contains(token.text)) return;
    bool known =
        std::ranges::any_of(result_.watched, [&](const StringAt& one) { return one.text == token.text; });
    if (!known) result_.watched.push_back({std::string(token.text), token.line});
}

void Scanner::note_taken(std::string_view name) { result_.names_taken.push_back(name_hash(name)); }

void Scanner::note_name(Tokens tokens, std::size_t i) {
    std::string_view name = tokens[i].text;
    note_watched(tokens[i]);
    if ((name == "encoding" || name == "encodings" || name == "charset") && i + 2 < tokens.size() &&
        tokens[i + 1].is("=") && tokens[i + 2].is_plain_string())
        result_.codecs.push_back({string_value(tokens[i + 2]), tokens[i].line});
    if (name == "__file__" || name == "__path__") result_.names_own_file = true;
    if (name == "resources" && i >= 2 && tokens[i - 2].is("importlib")) result_.names_own_file = true;
    if (name == "modules" && i >= 2 && tokens[i - 1].is(".") && i + 1 < tokens.size() &&
        tokens[i + 1].is("["))
        note_registered(tokens, i + 1);
    bool of_sys = i >= 2 && tokens[i - 1].is(".") && tokens[i - 2].is("sys");
    if (of_sys && (name == "modules" || name == "meta_path" || name == "path_hooks"))
        result_.makes_modules = true;
    if (of_sys && name == "executable") result_.restarts_itself = true;
    // getattr(__import__, ...), map(import_module, names)
    bool taken_as_value = (name == "import_module" || name == "__import__") &&
                          (i + 1 >= tokens.size() || !tokens[i + 1].is("="));
    if (taken_as_value) result_.imports_by_name = true;
}

/// sys.modules["package.part"] = ..., with the bracket at `open`
void Scanner::note_registered(Tokens tokens, std::size_t open) {
    std::size_t end = behind_closing(tokens, open);
    if (end >= tokens.size() || !tokens[end].is("=")) return;
    for (PossibleText& text : constants_.evaluate(tokens.subspan(open + 1, end - open - 2)))
        if (text.exact) result_.registered.push_back({std::move(text.text), tokens[open].line});
}

/// exec(compile(open(path).read(), ...)), ast.parse(text), spec_from_file_location(name, path),
/// run_path(path)
void Scanner::note_running(Tokens tokens, std::size_t i, const std::vector<Tokens>& arguments) {
    std::string_view name = tokens[i].text;
    bool is_attribute = i >= 2 && tokens[i - 1].is(".");
    bool is_text = arguments.empty() || (arguments[0].size() == 1 && arguments[0][0].is_plain_string());
    if ((name == "exec" || name == "compile" || name == "execfile") && !is_attribute && !is_text)
        result_.runs_sources = tokens[i].line;
    if (name == "parse" && is_attribute && tokens[i - 2].is("ast")) result_.runs_sources = tokens[i].line;
    if (name == "spec_from_file_location" || name == "run_path" || name == "SourceFileLoader" ||
        name == "load_source" || name == "execfile")
        result_.runs_files = tokens[i].line;
}

void Scanner::read_call(const Token& callee, const std::vector<Tokens>& arguments) {
    std::string_view name = callee.text;
    note_watched(callee);
    // from importlib.metadata import version as its_version
    if (name != "import_module") name = name_at_home(name);
    // lazy_import(globals(), {"name": ".module"}), relative_import(__name__, [".module"])
    bool for_this_module = !arguments.empty() && !arguments[0].empty() &&
                           (arguments[0][0].is("globals") || arguments[0][0].is("__name__"));
    if (for_this_module && name.find("import") != std::string_view::npos) result_.imports_by_name = true;
    const KnownCall& known = known_call(name);
    Tokens first = known.argument < arguments.size() ? arguments[known.argument] : Tokens();
    switch (known.use) {
    case CallUse::nothing:
        break;
    case CallUse::imports_module:
        read_import_call(callee, arguments);
        break;
    case CallUse::codec:
    case CallUse::codec_or_method: {
        bool keyword = first.size() > 1 && first[1].is("=");
        if (!first.empty() && !keyword) note_codec(first, callee.line, known.use == CallUse::codec_or_method);
        break;
    }
    case CallUse::asks_for_source:
        result_.asks_for_source = callee.line;
        break;
    case CallUse::lists_folder:
    case CallUse::finds_paths:
        result_.lists_folders = true;
        note_opened_path(first);
        break;
    case CallUse::opens_path:
        note_opened_path(first);
        break;
    case CallUse::walks_package:
        note_walk(callee, first);
        break;
    case CallUse::opens_library:
        note_library(callee, arguments);
        break;
    case CallUse::library_versions:
        note_library_version(arguments);
        break;
    case CallUse::reads_stubs:
        result_.reads_stubs = true;
        break;
    case CallUse::attaches_parts:
        note_attached_parts(arguments, known.argument);
        break;
    case CallUse::changes_folder:
        result_.changes_folder = true;
        break;
    case CallUse::entry_point:
        read_entry_point(callee, arguments);
        break;
    case CallUse::files:
        result_.names_own_file = true;
        note_resource_package(first);
        note_metadata(callee, arguments);
        break;
    case CallUse::metadata:
        note_metadata(callee, arguments);
        break;
    case CallUse::entry_points:
    case CallUse::selected_points:
        note_entry_points(callee, arguments, known.use == CallUse::selected_points);
        break;
    case CallUse::package_data:
        result_.names_own_file = true;
        note_resource_package(first);
        break;
    case CallUse::package_folder:
        note_resource_package(first);
        break;
    }
}

/// attach(__name__, ["part"], {"other_part": ["name"]}): parts that are loaded when they are used
void Scanner::note_attached_parts(const std::vector<Tokens>& arguments, std::size_t from) {
    if (arguments.empty() || arguments[0].size() != 1 || !arguments[0][0].is("__name__")) return;
    for (Tokens argument : std::span(arguments).subspan(from))
        for (const Token& token : argument)
            if (token.is_plain_string() && is_dotted_name("x." + string_value(token))) {
                Request& request = add_request(Request::Kind::from_module, token.line, own_name_);
                request.name = string_value(token);
                request.computed = true;
            }
}

/// version("package"), distribution("package")
void Scanner::note_metadata(const Token& callee, const std::vector<Tokens>& arguments) {
    if (arguments.size() != 1) return;
    for (const PossibleText& text : constants_.evaluate(arguments[0]))
        if (text.exact) result_.distributions.push_back({text.text, callee.line});
}

/// entry_points(group="harbour.feeds"), select(group="harbour.feeds")
void Scanner::note_entry_points(const Token& callee, const std::vector<Tokens>& arguments, bool by_keyword) {
    for (Tokens argument : arguments) {
        if (argument.size() > 2 && argument[0].is("group") && argument[1].is("="))
            argument = argument.subspan(2);
        else if (by_keyword)
            continue;
        auto texts = constants_.evaluate(argument);
        for (const PossibleText& text : texts)
            if (text.exact) result_.entry_point_groups.push_back({text.text, callee.line});
        result_.asks_for_computed_group |= texts.empty() || !std::ranges::all_of(texts, &PossibleText::exact);
    }
}

/// files("package"), files(package), get_data("package", "a.txt")
void Scanner::note_resource_package(Tokens first) {
    if (first.empty()) return;
    for (const PossibleText& text : constants_.evaluate(first))
        if (text.exact && is_dotted_name("x." + text.text))
            result_.resource_packages.push_back({text.text, first[0].line});
    // The package as a module: files(crew.data)
    std::size_t position = 0;
    std::string named = dotted_name(first, position);
    if (position != first.size() || named.empty()) return;
    std::string top = named.substr(0, named.find('.'));
    if (auto known = imported_as_.find(top); known != imported_as_.end())
        named = known->second + named.substr(top.size());
    result_.resource_packages.push_back({named, first[0].line});
}

/// str(data, "latin-1") is not looked at: its second argument is mostly no encoding.
void Scanner::note_codec(Tokens expression, std::uint32_t line, bool may_be_computed) {
    auto texts = constants_.evaluate(expression);
    for (const PossibleText& text : texts)
        if (text.exact) result_.codecs.push_back({text.text, line});
    // decode(self.encoding or 'cp437')
    if (texts.empty())
        for (const Token& token : expression)
            if (token.is_plain_string()) result_.codecs.push_back({string_value(token), line});
    // A number or a call with a single unknown name says little: data.encode(x) is common outside of text
    // too.
    bool name_like =
        expression.size() <= 5 && expression[0].kind == TokenKind::name && !expression[0].is("None");
    if (texts.empty() && may_be_computed && name_like) result_.computed_codec = line;
}

/// The last string of an expression, behind its last field, where it goes on with a dot and a name.
void Scanner::note_import_suffix(Tokens expression) {
    for (const Token& token : expression) {
        if (token.kind != TokenKind::string || token.bytes) continue;
        std::string_view text = token.text;
        std::size_t dot = text.rfind('.');
        bool behind_field =
            dot != std::string_view::npos && dot > 0 && (text[dot - 1] == '}' || text[dot - 1] == 's');
        bool alone = dot == 0 && expression.size() > 1;
        if ((behind_field && text.find_first_of("{%") != std::string_view::npos) || alone)
            if (is_dotted_name("x" + std::string(text.substr(dot))))
                result_.import_suffixes.push_back({std::string(text.substr(dot)), token.line});
    }
}

/// The programs that a call starts or looks for.
void Scanner::note_started(Tokens tokens, std::size_t callee, const std::vector<Tokens>& arguments) {
    const Token& token = tokens[callee];
    if (token.is("split") && splits_path(tokens.first(callee))) result_.searches_path = token.line;
    if (may_start_programs(tokens, callee))
        for (std::string& program : started_programs(constants_, name_at_home(token.text), arguments))
            result_.programs.push_back({std::move(program), token.line});
}

/// Whether `before` ends with the value of PATH and a dot: os.environ["PATH"]. or os.getenv("PATH", "").
bool Scanner::splits_path(Tokens before) {
    constexpr std::size_t longest = 8; // tokens of such an expression
    std::size_t size = before.size();
    if (size < 3 || !before[size - 1].is(".") || !(before[size - 2].is("]") || before[size - 2].is(")")))
        return false;
    return std::ranges::any_of(before.last(std::min(size, longest)), [](const Token& token) {
        return token.is_plain_string() && token.text == "PATH";
    });
}

/// What a name that was imported under another one is called in its module.
std::string_view Scanner::name_at_home(std::string_view name) const {
    auto known = imported_as_.find(name);
    return known == imported_as_.end() ? name
                                       : std::string_view(known->second).substr(known->second.rfind('.') + 1);
}

/// Whether a call is one of the standard library's that start programs, not somebody's own `run`.
bool Scanner::may_start_programs(Tokens tokens, std::size_t callee) const {
    auto module_of = [&](std::string_view name) {
        auto known = imported_as_.find(name);
        std::string_view module = known == imported_as_.end() ? name : std::string_view(known->second);
        return module.substr(0, module.find('.'));
    };
    // Under this name people write the standard library's function once more.
    if (tokens[callee].is("which")) return true;
    bool is_member = callee >= 2 && tokens[callee - 1].is(".");
    if (!is_member && !imported_as_.contains(tokens[callee].text)) return false;
    std::string_view module = module_of(is_member ? tokens[callee - 2].text : tokens[callee].text);
    return module == "subprocess" || module == "os" || module == "shutil" || module == "asyncio" ||
           module == "distutils" || module == "QProcess" || module == "GLib";
}

void Scanner::read_import_call(const Token& callee, const std::vector<Tokens>& arguments) {
    // A package that is run as a program is its __main__.
    if (callee.is("run_module") && !arguments.empty())
        for (const PossibleText& text : constants_.evaluate(arguments[0]))
            if (text.exact && is_dotted_name("x." + text.text))
                add_request(Request::Kind::module, callee.line, text.text + ".__main__").certainty =
                    Certainty::guarded;
    bool is_statement_like = callee.is("__import__") || callee.is("import_module");
    if (arguments.empty()) return;
    note_import_suffix(arguments[0]);
    std::vector<PossibleText> names = constants_.evaluate(arguments[0]);
    if (names.empty()) {
        if (is_statement_like) result_.unknown_imports.push_back(callee.line);
        result_.imports_by_name = true;
        return;
    }
    std::string anchor = package_;
    for (Tokens argument : std::span(arguments).subspan(1)) {
        if (argument.size() > 2 && argument[0].is("package") && argument[1].is("="))
            argument = argument.subspan(2);
        auto texts = constants_.evaluate(argument);
        if (texts.size() == 1 && texts[0].exact && callee.is("import_module")) anchor = texts[0].text;
    }
    std::size_t level = callee.is("__import__") ? import_level(arguments) : 0;
    // Several unknown parts lead deeper than into one package.
    bool deep = std::ranges::any_of(arguments[0], [](const Token& t) { return t.is("join"); });
    for (PossibleText& text : names) {
        std::string module = std::string(level, '.') + text.text;
        if (module.starts_with('.')) module = absolute_name(module, anchor);
        bool whole = text.exact;
        if (!whole && deep && module.ends_with('.')) {
            add_request(Request::Kind::all_in, callee.line, module.substr(0, module.size() - 1)).computed =
                true;
            result_.imports_by_name = true;
            continue;
        }
        if (!whole && module.empty()) {
            result_.unknown_imports.push_back(callee.line);
            result_.imports_by_name = true;
            continue;
        }
        if (!whole) result_.imports_by_name = true;
        Request& request =
            add_request(whole ? Request::Kind::module : Request::Kind::family, callee.line, module);
        request.computed = true;
        // An optional lookup (find_spec) or a name from a string may well be absent.
        if (!is_statement_like && request.certainty == Certainty::always)
            request.certainty = Certainty::guarded;
        if (whole && callee.is("__import__")) read_from_list(callee, module, arguments);
    }
}

/// __import__("a", globals(), locals(), ["b"], 1), __import__("a", level=1)
std::size_t Scanner::import_level(const std::vector<Tokens>& arguments) {
    Tokens level;
    if (arguments.size() > 4) level = arguments[4];
    for (Tokens argument : arguments)
        if (argument.size() == 3 && argument[0].is("level")) level = argument;
    bool digit = !level.empty() && level.back().text.size() == 1 && level.back().text[0] >= '1' &&
                 level.back().text[0] <= '9';
    return digit ? static_cast<std::size_t>(level.back().text[0] - '0') : 0;
}

/// __import__("a", globals(), locals(), ["b"])
void Scanner::read_from_list(const Token& callee, const std::string& module,
                             const std::vector<Tokens>& arguments) {
    if (arguments.size() < 4 || arguments[3].size() < 2) return;
    for (const Token& token : arguments[3])
        if (token.is_plain_string() && token.text != "*" && !token.text.empty()) {
            Request& request = add_request(Request::Kind::from_module, callee.line, module);
            request.name = string_value(token);
            request.computed = true;
        }
}

/// iter_modules(package.__path__), walk_packages(path=package.__path__): the package may have another
/// name here
void Scanner::note_walk(const Token& callee, Tokens path) {
    if (path.size() > 2 && path[0].is("path") && path[1].is("=")) path = path.subspan(2);
    if (path.empty() || !path.back().is("__path__")) return;
    std::string package;
    for (const Token& token : path.subspan(0, path.size() - 1)) {
        if (token.kind != TokenKind::name && !token.is(".")) return;
        package += token.text;
    }
    if (package.ends_with('.')) package.pop_back();
    std::string_view first = path[0].text;
    if (package.empty())
        package = package_;
    else if (auto known = imported_as_.find(first); known != imported_as_.end())
        package = known->second + package.substr(first.size());
    if (!package.empty()) add_request(Request::Kind::all_in, callee.line, package).computed = true;
}

/// CDLL("libx.so.1"), ffi.dlopen("libx.so.1"), find_library("x")
void Scanner::note_library(const Token& callee, const std::vector<Tokens>& arguments) {
    bool is_lookup = callee.text.ends_with("find_library") || callee.text.ends_with("load_library");
    bool known = false;
    for (Tokens argument : arguments) {
        for (const PossibleText& text : constants_.evaluate(argument)) {
            known |= text.exact;
            std::string name = base_name(text.text);
            bool is_name = is_lookup ? text.exact && name.size() == text.text.size() : is_library_name(name);
            if (is_name) result_.libraries.push_back({name, callee.line});
        }
        if (is_lookup) return;
        // The name comes from a lookup, or stands for the program itself.
        known |= std::ranges::any_of(argument,
                                     [](const Token& t) { return t.is("find_library") || t.is("None"); });
    }
    if (!known && !arguments.empty() && result_.computed_library == 0) result_.computed_library = callee.line;
}

/// open("a/b.txt"), Path("a/b.txt"), PhotoImage(file="a/b.png")
void Scanner::note_opened_path(Tokens first) {
    if (first.size() == 3 && first[0].is("file") && first[1].is("=")) first = first.subspan(2);
    if (first.size() == 1 && first[0].is_plain_string() && may_be_path(first[0].text) &&
        first[0].text.front() != '/')
        result_.opened_paths.push_back({string_value(first[0]), first[0].line});
}

/// require_version("Gtk", "3.0"), require_versions({"Gtk": "3.0"})
void Scanner::note_library_version(const std::vector<Tokens>& arguments) {
    auto note = [&](Tokens library, Tokens version) {
        for (const PossibleText& one : constants_.evaluate(library))
            for (const PossibleText& other : constants_.evaluate(version))
                if (one.exact && other.exact)
                    result_.library_versions.push_back({one.text + "-" + other.text, library[0].line});
    };
    if (arguments.size() == 2 && !arguments[0].empty()) note(arguments[0], arguments[1]);
    if (arguments.size() != 1) return;
    Tokens table = arguments[0];
    for (std::size_t i = 0; i + 2 < table.size(); ++i)
        if (table[i].kind == TokenKind::string && table[i + 1].is(":"))
            note(table.subspan(i, 1), table.subspan(i + 2, 1));
}

void Scanner::read_entry_point(const Token& callee, const std::vector<Tokens>& arguments) {
    if (arguments.size() != 3) return;
    std::string joined;
    for (Tokens argument : arguments) {
        auto texts = constants_.evaluate(argument);
        if (texts.size() != 1 || !texts[0].exact) return;
        if (!joined.empty()) joined += '\n';
        joined += texts[0].text;
    }
    add_request(Request::Kind::entry_point, callee.line, std::move(joined)).computed = true;
}

} // namespace omnistasis::python
