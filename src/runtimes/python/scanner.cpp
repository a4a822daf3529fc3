#include "runtimes/python/scanner.h"

#include "runtimes/python/condition.h"
#include "runtimes/python/constants.h"
#include "runtimes/python/lexer.h"
#include "runtimes/python/started_programs.h"
#include "runtimes/python/text_kinds.h"
#include "runtimes/python/written_paths.h"
#include "support/files.h"

#include <algorithm>
#include <array>
#include <map>
#include <optional>
#include <span>

namespace omnistasis::python {

namespace {

using Tokens = std::span<const Token>;

/// A compound statement whose suite is being read.
struct Block {
    enum class Kind { other, function, if_chain, try_body, guard } kind = Kind::other;
    std::uint32_t indent = 0;
    bool dead = false;             ///< never executed on this target
    bool guarded = false;          ///< executed under a condition
    std::size_t first_request = 0; ///< try bodies: the first request made inside
    std::size_t last_request = 0;  ///< and the number behind the last one, once a handler has begun
    bool handles_imports = false;  ///< a handler of ImportError and nothing wider
    bool is_class = false;
    std::string_view taken;  ///< the parameter of a module's __getattr__: the name that is taken
    std::string taken_names; ///< the branch is for these, one a line
};

class Scanner {
  public:
    Scanner(std::string_view source, std::string_view own_name, std::string_view package,
            const ScanFacts& facts)
        : lexer_(source), own_name_(own_name), package_(package), facts_(facts),
          constants_(own_name, package, facts.file) {}

    ScanResult run() {
        std::vector<Token> line;
        while (lexer_.next_line(line)) {
            leave_blocks(lexer_.indent());
            read_line(line);
        }
        std::ranges::sort(result_.names_taken);
        auto repeated = std::ranges::unique(result_.names_taken);
        result_.names_taken.erase(repeated.begin(), repeated.end());
        return std::move(result_);
    }

  private:
    // --- blocks -------------------------------------------------------------------------------------------

    void leave_blocks(std::uint32_t indent) {
        closed_.reset();
        while (!blocks_.empty() && blocks_.back().indent >= indent) {
            closed_ = blocks_.back();
            blocks_.pop_back();
        }
        if (closed_ && closed_->indent != indent) closed_.reset();
    }

    bool dead() const { return !blocks_.empty() && blocks_.back().dead; }

    Certainty certainty() const {
        bool guarded = false;
        for (const Block& block : blocks_) {
            if (block.kind == Block::Kind::function) return Certainty::deferred;
            guarded |= block.guarded;
        }
        return guarded ? Certainty::guarded : Certainty::always;
    }

    // --- lines --------------------------------------------------------------------------------------------

    void read_line(Tokens line) {
        std::size_t entered = blocks_.size();
        std::size_t position = 0;
        bool only_header = false;
        while (position < line.size()) {
            const Token& first = line[position];
            if (first.kind == TokenKind::name && is_header_keyword(first.text)) {
                std::size_t colon = find_colon(line, position);
                if (colon < line.size()) {
                    enter(line.subspan(position, colon - position));
                    position = colon + 1;
                    only_header = position >= line.size();
                    continue;
                }
            }
            std::size_t end = find_statement_end(line, position);
            if (!dead()) read_statement(line.subspan(position, end - position));
            position = end + 1;
        }
        // A suite on the header's own line ends with the line.
        if (!only_header && blocks_.size() > entered) {
            while (blocks_.size() > entered) {
                closed_ = blocks_.back();
                blocks_.pop_back();
            }
            pending_ = closed_;
        } else {
            pending_.reset();
        }
    }

    static std::size_t find_colon(Tokens line, std::size_t from) {
        int lambdas = 0;
        for (std::size_t i = from; i < line.size();) {
            if (line[i].is("(") || line[i].is("[") || line[i].is("{")) {
                i = behind_closing(line, i);
                continue;
            }
            if (line[i].is("lambda")) ++lambdas;
            if (line[i].is(":") && lambdas-- == 0) return i;
            // `match = 1`, `type: int`: names that are keywords only in front of a suite.
            if (i == from + 1 && (line[i].is("=") || line[i].is(".") || line[i].is(","))) return line.size();
            ++i;
        }
        return line.size();
    }

    static std::size_t find_statement_end(Tokens line, std::size_t from) {
        for (std::size_t i = from; i < line.size();) {
            if (line[i].is(";")) return i;
            i = line[i].is("(") || line[i].is("[") || line[i].is("{") ? behind_closing(line, i) : i + 1;
        }
        return line.size();
    }

    // --- compound statements ------------------------------------------------------------------------------

    /// The chain that `elif`, `else`, `except` or `finally` at this indent goes on with.
    std::optional<Block> previous_branch() const {
        if (closed_) return closed_;
        if (pending_ && pending_->indent == lexer_.indent()) return pending_;
        return std::nullopt;
    }

    void enter(Tokens header) {
        std::optional<Block> previous = previous_branch();
        Block block;
        block.indent = lexer_.indent();
        block.dead = dead();
        block.first_request = result_.requests.size();
        const Token& keyword = header[0];
        Tokens rest = header.subspan(1);
        if (keyword.is("async") && !rest.empty()) return enter(rest);
        if (keyword.is("if") || keyword.is("elif")) {
            if (keyword.is("if")) chains_[block.indent] = {};
            Chain& chain = chains_[block.indent];
            std::optional<bool> known = evaluate_condition(rest, facts_);
            block.kind = Block::Kind::if_chain;
            block.dead |= chain.taken || known == false;
            block.guarded = known != true || chain.uncertain;
            block.taken_names = names_compared(rest);
            if (known == true && !chain.uncertain) chain.taken = true;
            if (!known) chain.uncertain = true;
        } else if (keyword.is("else")) {
            if (previous && previous->kind == Block::Kind::if_chain) {
                const Chain& chain = chains_[block.indent];
                block.dead |= chain.taken;
                block.guarded = chain.uncertain;
            }
            // The else branch of a `try` runs when its body did.
        } else if (keyword.is("try")) {
            block.kind = Block::Kind::try_body;
        } else if (keyword.is("except")) {
            if (previous && previous->kind == Block::Kind::try_body && expects_missing_modules(rest))
                for (std::size_t i = previous->first_request; i < result_.requests.size(); ++i)
                    if (result_.requests[i].certainty == Certainty::always)
                        result_.requests[i].certainty = Certainty::guarded;
            block.kind = Block::Kind::try_body;
            block.guarded = true;
            if (previous) {
                block.first_request = previous->first_request;
                block.last_request =
                    previous->last_request != 0 ? previous->last_request : result_.requests.size();
                block.handles_imports = std::ranges::any_of(rest, [](const Token& token) {
                    return token.is("ImportError") || token.is("ModuleNotFoundError");
                });
            }
        } else if (keyword.is("def")) {
            block.kind = Block::Kind::function;
            bool in_module = std::ranges::none_of(blocks_, [](const Block& outer) {
                return outer.is_class || outer.kind == Block::Kind::function;
            });
            if (in_module && rest.size() > 2 && rest[0].is("__getattr__")) block.taken = rest[2].text;
        } else if (keyword.is("class")) {
            block.is_class = true;
        } else if (keyword.is("while") || keyword.is("case")) {
            block.guarded = !keyword.is("while") || evaluate_condition(rest, facts_) != true;
        } else if (keyword.is("with")) {
            // contextlib.suppress(ImportError) is a `try` in another form.
            block.guarded = std::ranges::any_of(rest, [](const Token& t) { return t.is("suppress"); });
        } else if (keyword.is("for")) {
            note_loop(rest);
        }
        if (!block.dead) {
            note_file_paths(rest);
            read_expressions(rest);
        }
        blocks_.push_back(block);
    }

    /// The parameter of the module's __getattr__ that is being read; empty outside of it.
    std::string_view taken_parameter() const {
        for (const Block& block : blocks_)
            if (!block.taken.empty()) return block.taken;
        return {};
    }

    /// if name == "part", if name in ("part", "other"): the names in it, one a line
    std::string names_compared(Tokens condition) const {
        std::string_view parameter = taken_parameter();
        bool compares = !parameter.empty() && condition.size() > 2 && condition[0].is(parameter) &&
                        (condition[1].is("==") || condition[1].is("in"));
        if (!compares) return {};
        std::string names;
        for (const Token& token : condition.subspan(2)) {
            if (token.is_plain_string())
                names += string_value(token) + "\n";
            else if (token.kind == TokenKind::name)
                return {};
        }
        return names;
    }

    /// What has to be taken from the module for a request that is made here.
    std::string names_to_take(Request::Kind kind, std::string_view module) const {
        if (taken_parameter().empty()) return {};
        for (const Block& block : blocks_)
            if (!block.taken_names.empty()) return block.taken_names;
        return kind == Request::Kind::family && module.ends_with('.') ? "*" : "";
    }

    static bool expects_missing_modules(Tokens handler) {
        static constexpr std::array<std::string_view, 5> caught{
            "ImportError", "ModuleNotFoundError", "Exception", "BaseException", "AttributeError"};
        return handler.empty() || std::ranges::any_of(handler, [](const Token& token) {
                   return std::ranges::find(caught, token.text) != caught.end() &&
                          token.kind == TokenKind::name;
               });
    }

    /// for NAME in (literal, ...), for NAME in LIST
    void note_loop(Tokens header) {
        if (header.size() < 3 || header[0].kind != TokenKind::name || !header[1].is("in")) return;
        Tokens over = header.subspan(2);
        bool literal =
            (over[0].is("(") || over[0].is("[") || over[0].is("{")) && behind_closing(over, 0) == over.size();
        if (literal) constants_.loop_over(header[0].text, over.subspan(1, over.size() - 2));
        if (over.size() == 1) constants_.loop_over(header[0].text, over);
    }

    // --- simple statements --------------------------------------------------------------------------------

    void read_statement(Tokens statement) {
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
    void note_file_paths(Tokens tokens) {
        if (!facts_.keeps_strings || facts_.file.empty()) return;
        auto is_path = [&](const Token& token) {
            return token.kind == TokenKind::name && constants_.is_path(token.text);
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

    static bool ends_expression(const Token& token) {
        return token.is(",") || token.is(")") || token.is("]") || token.is("}") || token.is(":") ||
               token.is("=") || token.is("for") || token.is("if") || token.is("else") || token.is("as") ||
               token.is("in") || token.is("and") || token.is("or");
    }

    /// sys.path.insert(0, FOLDER), sys.path.append(FOLDER), sys.path.extend([...]), sys.path[0:0] = [...],
    /// sys.path += [...]
    void note_search_path(Tokens statement) {
        if (statement.size() < 5 || !statement[0].is("sys") || !statement[1].is(".") ||
            !statement[2].is("path"))
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

    static std::string dotted_name(Tokens tokens, std::size_t& position) {
        std::string name;
        while (position < tokens.size() && tokens[position].kind == TokenKind::name) {
            name += tokens[position++].text;
            if (position + 1 >= tokens.size() || !tokens[position].is(".")) break;
            name += '.';
            ++position;
        }
        return name;
    }

    Request& add_request(Request::Kind kind, std::uint32_t line, std::string module) {
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

    void read_import(Tokens statement) {
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

    void read_from(Tokens statement) {
        std::size_t position = 1;
        std::uint32_t level = 0;
        while (position < statement.size() &&
               (statement[position].is(".") || statement[position].is("..."))) {
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
            std::string base =
                level == 0 ? module : absolute_name(std::string(level, '.') + module, package_);
            if (base.ends_with('.')) base.pop_back();
            imported_as_[called] = base.empty() ? request.name : base + "." + request.name;
            if (position < statement.size() && statement[position].is("as")) position += 2;
            if (position >= statement.size() || !statement[position].is(",")) return;
            ++position;
        }
    }

    void note_module(std::string_view name) {
        if (name == "importlib.resources" || name == "importlib_resources" || name == "pkg_resources")
            result_.names_own_file = true;
    }

    void note_taken_name(std::string_view module, std::string_view name) {
        if ((module == "importlib" && name == "resources") || (module == "pkgutil" && name == "get_data"))
            result_.names_own_file = true;
    }

    // --- expressions --------------------------------------------------------------------------------------

    void read_expressions(Tokens tokens) {
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

    void note_string(Tokens tokens, std::size_t i) {
        const Token& token = tokens[i];
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
    void note_code(const Token& token) {
        std::string_view module = module_imported_by(token.text);
        if (!module.empty()) result_.code_strings.push_back({std::string(module), token.line});
    }

    void note_watched(const Token& token) {
        if (facts_.watched == nullptr || !facts_.watched->contains(token.text)) return;
        bool known =
            std::ranges::any_of(result_.watched, [&](const StringAt& one) { return one.text == token.text; });
        if (!known) result_.watched.push_back({std::string(token.text), token.line});
    }

    void note_taken(std::string_view name) { result_.names_taken.push_back(name_hash(name)); }

    void note_name(Tokens tokens, std::size_t i) {
        std::string_view name = tokens[i].text;
        note_watched(tokens[i]);
        if ((name == "encoding" || name == "encodings" || name == "charset") && i + 2 < tokens.size() &&
            tokens[i + 1].is("=") && tokens[i + 2].is_plain_string())
            result_.codecs.push_back({string_value(tokens[i + 2]), tokens[i].line});
        if (name == "__file__" || name == "__path__") result_.names_own_file = true;
        if (name == "resources" && i >= 2 && tokens[i - 2].is("importlib")) result_.names_own_file = true;
        bool of_sys = i >= 2 && tokens[i - 1].is(".") && tokens[i - 2].is("sys");
        if (of_sys && (name == "modules" || name == "meta_path" || name == "path_hooks"))
            result_.makes_modules = true;
        if (of_sys && name == "executable") result_.restarts_itself = true;
        // getattr(__import__, ...), map(import_module, names)
        bool taken_as_value = (name == "import_module" || name == "__import__") &&
                              (i + 1 >= tokens.size() || !tokens[i + 1].is("="));
        if (taken_as_value) result_.imports_by_name = true;
    }

    /// exec(compile(open(path).read(), ...)), ast.parse(text), spec_from_file_location(name, path),
    /// run_path(path)
    void note_running(Tokens tokens, std::size_t i, const std::vector<Tokens>& arguments) {
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

    void read_call(const Token& callee, const std::vector<Tokens>& arguments) {
        std::string_view name = callee.text;
        note_watched(callee);
        // from importlib.metadata import version as its_version
        if (name != "import_module") name = name_at_home(name);
        // lazy_import(globals(), {"name": ".module"}), relative_import(__name__, [".module"])
        bool for_this_module = !arguments.empty() && !arguments[0].empty() &&
                               (arguments[0][0].is("globals") || arguments[0][0].is("__name__"));
        if (for_this_module && name.find("import") != std::string_view::npos) result_.imports_by_name = true;
        if (name == "__import__" || name == "import_module" || name == "find_spec" || name == "run_module" ||
            name == "import_string" || name == "resolve_name" || name == "import_object" ||
            name == "_load_lexers" || name.starts_with("import_")) {
            read_import_call(callee, arguments);
        } else if (name == "encode" || name == "decode" || name == "lookup" || name == "getencoder" ||
                   name == "getdecoder" || name == "getreader" || name == "getwriter" ||
                   name == "getincrementaldecoder" || name == "getincrementalencoder") {
            bool keyword = !arguments.empty() && arguments[0].size() > 1 && arguments[0][1].is("=");
            if (!arguments.empty() && !keyword && arguments[0].size() > 0)
                note_codec(arguments[0], callee.line, name == "encode" || name == "decode");
        } else if (name == "getsource" || name == "getsourcelines" || name == "getsourcefile") {
            result_.asks_for_source = callee.line;
        } else if (name == "listdir" || name == "scandir" || name == "iterdir" || name == "rglob") {
            result_.lists_folders = true;
            note_opened_path(arguments);
        } else if (name == "iter_modules" || name == "walk_packages") {
            note_walk(callee, arguments);
        } else if (name == "CDLL" || name == "PyDLL" || name == "LoadLibrary" || name == "dlopen" ||
                   name.ends_with("find_library") || name.ends_with("load_library")) {
            note_library(callee, arguments);
        } else if (name == "require_version" || name == "require_versions") {
            note_library_version(arguments);
        } else if (name == "attach_stub") {
            result_.reads_stubs = true;
        } else if (name == "attach" && !arguments.empty() && arguments[0].size() == 1 &&
                   arguments[0][0].is("__name__")) {
            // attach(__name__, ["part"], {"other_part": ["name"]}): parts that are loaded when they are used
            for (Tokens argument : std::span(arguments).subspan(1))
                for (const Token& token : argument)
                    if (token.is_plain_string() && is_dotted_name("x." + string_value(token))) {
                        Request& request = add_request(Request::Kind::from_module, token.line, own_name_);
                        request.name = string_value(token);
                        request.computed = true;
                    }
        } else if (name == "chdir") {
            result_.changes_folder = true;
        } else if (opens_path(name)) {
            result_.lists_folders |= name == "glob" || name == "iglob";
            note_opened_path(arguments);
        } else if (name == "load_entry_point") {
            read_entry_point(callee, arguments);
        } else if (name == "version" || name == "metadata" || name == "distribution" || name == "requires" ||
                   name == "get_distribution" || name == "files") {
            if (name == "files") {
                result_.names_own_file = true;
                note_resource_package(arguments);
            }
            if (arguments.size() == 1) {
                for (const PossibleText& text : constants_.evaluate(arguments[0]))
                    if (text.exact) result_.distributions.push_back({text.text, callee.line});
            }
        } else if (name == "entry_points" || name == "iter_entry_points" || name == "select") {
            for (Tokens argument : arguments) {
                if (argument.size() > 2 && argument[0].is("group") && argument[1].is("="))
                    argument = argument.subspan(2);
                else if (name == "select")
                    continue;
                auto texts = constants_.evaluate(argument);
                for (const PossibleText& text : texts)
                    if (text.exact) result_.entry_point_groups.push_back({text.text, callee.line});
                result_.asks_for_computed_group |=
                    texts.empty() || !std::ranges::all_of(texts, &PossibleText::exact);
            }
        } else if (name == "get_data" || name == "resource_filename" || name == "resource_string" ||
                   name == "resource_stream" || name == "read_text" || name == "open_text" ||
                   name == "read_binary" || name == "open_binary") {
            result_.names_own_file = true;
            note_resource_package(arguments);
        } else if (name == "PackageLoader" || name == "contents" || name == "is_resource" || name == "path" ||
                   name == "as_file" || name == "resource_listdir" || name == "resource_exists" ||
                   name == "resource_isdir") {
            note_resource_package(arguments);
        }
    }

    /// files("package"), files(package), get_data("package", "a.txt")
    void note_resource_package(const std::vector<Tokens>& arguments) {
        if (arguments.empty() || arguments[0].empty()) return;
        Tokens first = arguments[0];
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
    void note_codec(Tokens expression, std::uint32_t line, bool may_be_computed) {
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
    void note_import_suffix(Tokens expression) {
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
    void note_started(Tokens tokens, std::size_t callee, const std::vector<Tokens>& arguments) {
        const Token& token = tokens[callee];
        if (token.is("split") && splits_path(tokens.first(callee))) result_.searches_path = token.line;
        if (may_start_programs(tokens, callee))
            for (std::string& program : started_programs(constants_, name_at_home(token.text), arguments))
                result_.programs.push_back({std::move(program), token.line});
    }

    /// Whether `before` ends with the value of PATH and a dot: os.environ["PATH"]. or os.getenv("PATH", "").
    static bool splits_path(Tokens before) {
        constexpr std::size_t longest = 8; // tokens of such an expression
        std::size_t size = before.size();
        if (size < 3 || !before[size - 1].is(".") || !(before[size - 2].is("]") || before[size - 2].is(")")))
            return false;
        return std::ranges::any_of(before.last(std::min(size, longest)), [](const Token& token) {
            return token.is_plain_string() && token.text == "PATH";
        });
    }

    /// What a name that was imported under another one is called in its module.
    std::string_view name_at_home(std::string_view name) const {
        auto known = imported_as_.find(name);
        return known == imported_as_.end()
                   ? name
                   : std::string_view(known->second).substr(known->second.rfind('.') + 1);
    }

    /// Whether a call is one of the standard library's that start programs, not somebody's own `run`.
    bool may_start_programs(Tokens tokens, std::size_t callee) const {
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

    void read_import_call(const Token& callee, const std::vector<Tokens>& arguments) {
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
                add_request(Request::Kind::all_in, callee.line, module.substr(0, module.size() - 1))
                    .computed = true;
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
    static std::size_t import_level(const std::vector<Tokens>& arguments) {
        Tokens level;
        if (arguments.size() > 4) level = arguments[4];
        for (Tokens argument : arguments)
            if (argument.size() == 3 && argument[0].is("level")) level = argument;
        bool digit = !level.empty() && level.back().text.size() == 1 && level.back().text[0] >= '1' &&
                     level.back().text[0] <= '9';
        return digit ? static_cast<std::size_t>(level.back().text[0] - '0') : 0;
    }

    /// __import__("a", globals(), locals(), ["b"])
    void read_from_list(const Token& callee, const std::string& module,
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
    void note_walk(const Token& callee, const std::vector<Tokens>& arguments) {
        if (arguments.empty()) return;
        Tokens path = arguments[0];
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
    void note_library(const Token& callee, const std::vector<Tokens>& arguments) {
        bool is_lookup = callee.text.ends_with("find_library") || callee.text.ends_with("load_library");
        bool known = false;
        for (Tokens argument : arguments) {
            for (const PossibleText& text : constants_.evaluate(argument)) {
                known |= text.exact;
                std::string name = text.text.substr(text.text.rfind('/') + 1);
                bool is_name =
                    is_lookup ? text.exact && name.size() == text.text.size() : is_library_name(name);
                if (is_name) result_.libraries.push_back({name, callee.line});
            }
            if (is_lookup) return;
            // The name comes from a lookup, or stands for the program itself.
            known |= std::ranges::any_of(argument,
                                         [](const Token& t) { return t.is("find_library") || t.is("None"); });
        }
        if (!known && !arguments.empty() && result_.computed_library == 0)
            result_.computed_library = callee.line;
    }

    /// open("a/b.txt"), Path("a/b.txt"), PhotoImage(file="a/b.png")
    void note_opened_path(const std::vector<Tokens>& arguments) {
        if (arguments.empty()) return;
        Tokens first = arguments[0];
        if (first.size() == 3 && first[0].is("file") && first[1].is("=")) first = first.subspan(2);
        if (first.size() == 1 && first[0].is_plain_string() && may_be_path(first[0].text) &&
            first[0].text.front() != '/')
            result_.opened_paths.push_back({string_value(first[0]), first[0].line});
    }

    /// require_version("Gtk", "3.0"), require_versions({"Gtk": "3.0"})
    void note_library_version(const std::vector<Tokens>& arguments) {
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

    void read_entry_point(const Token& callee, const std::vector<Tokens>& arguments) {
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

    /// How far an `if` with its `elif`s is decided.
    struct Chain {
        bool taken = false;     ///< a branch before is known to be executed
        bool uncertain = false; ///< a branch before may be executed
    };

    Lexer lexer_;
    std::string own_name_;
    std::string package_;
    const ScanFacts& facts_;
    Constants constants_;
    std::map<std::string_view, std::string>
        imported_as_; ///< names in this file, to the modules that they may be
    ScanResult result_;
    std::vector<Block> blocks_;
    std::optional<Block> closed_;           ///< the block at this line's indent that this line has left
    std::optional<Block> pending_;          ///< the same for a suite on one line
    std::map<std::uint32_t, Chain> chains_; ///< by indent
};

} // namespace

ScanResult scan(std::string_view source, std::string_view own_name, std::string_view package,
                const ScanFacts& facts) {
    return Scanner(source, own_name, package, facts).run();
}

} // namespace omnistasis::python
