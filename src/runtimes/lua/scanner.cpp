// Reads a source once, token by token. Blocks are counted to know what is inside a function or under a
// condition; every call and assignment is evaluated as far as constants show its values (values.h). Lua has
// no import statement: `require` is a function like others, so it is followed through pcall and through names
// that it was given.
#include "runtimes/lua/scanner.h"

#include "runtimes/lua/values.h"

#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace omnistasis::lua {

namespace {

bool has_known(const std::string& text) { return text.find_first_not_of(unknown) != std::string::npos; }

bool is_module_name(std::string_view text) {
    if (text.empty() || text.size() > 100 || text.front() == '.' || text.back() == '.') return false;
    return std::ranges::all_of(
        text, [](unsigned char c) { return std::isalnum(c) != 0 || c == '_' || c == '-' || c == '.'; });
}

class Scanner {
  public:
    Scanner(std::vector<Token> tokens, const std::string& module)
        : tokens_(std::move(tokens)), values_(tokens_, module) {}

    ScanResult run() {
        for (at_ = 0; at_ < tokens_.size(); ++at_) {
            const Token& token = tokens_[at_];
            if (token.kind == Token::Kind::string)
                note_name(token);
            else if (token.kind == Token::Kind::sign)
                read_sign(token);
            else if (!read_block(token))
                read_name();
        }
        return std::move(result_);
    }

  private:
    struct Block {
        bool is_function = false;
        bool is_guarded = false;
        bool is_repeat = false;
    };

    bool is_at(std::size_t at, std::string_view word) const { return values_.is_at(at, word); }

    bool is_guarded() const { return std::ranges::any_of(blocks_, &Block::is_guarded); }
    bool is_in_function() const { return std::ranges::any_of(blocks_, &Block::is_function); }

    /// Keywords that begin and end blocks. A `for` and a `while` begin theirs with `do`.
    bool read_block(const Token& token) {
        if (token.is("function")) {
            bool in_call = at_ >= 2 && is_at(at_ - 1, "(") && is_protecting(tokens_[at_ - 2].text);
            blocks_.push_back({true, in_call, false});
        } else if (token.is("if")) {
            blocks_.push_back({false, true, false});
        } else if (token.is("do") || token.is("repeat")) {
            blocks_.push_back({false, false, token.is("repeat")});
        } else if (token.is("end")) {
            if (!blocks_.empty()) blocks_.pop_back();
        } else if (token.is("until")) {
            if (!blocks_.empty() && blocks_.back().is_repeat) blocks_.pop_back();
        } else if (token.is("in")) {
            read_loop();
        } else {
            return false;
        }
        values_.is_in_function = is_in_function();
        return true;
    }

    static bool is_protecting(std::string_view name) { return name == "pcall" || name == "xpcall"; }

    void note_name(const Token& token) {
        if (is_module_name(token.text)) result_.names.push_back({token.text, token.line});
    }

    void read_sign(const Token& token) {
        if (token.is("=")) read_assignment();
    }

    /// The names in front of `at`, separated by commas, last first.
    std::vector<std::string> names_before(std::size_t at) const {
        std::vector<std::string> names;
        while (at > 0 && tokens_[at - 1].kind == Token::Kind::name) {
            std::string name = tokens_[--at].text;
            while (at >= 2 && tokens_[at - 1].is(".") && tokens_[at - 2].kind == Token::Kind::name) {
                name = tokens_[at - 2].text + "." + name;
                at -= 2;
            }
            names.push_back(name);
            // local x <const> = ...
            if (at == 0 || !tokens_[at - 1].is(",")) break;
            --at;
        }
        return names;
    }

    void read_assignment() {
        std::size_t before = at_;
        // package.preload["x"] =
        if (before >= 4 && is_at(before - 1, "]") && tokens_[before - 2].kind == Token::Kind::string &&
            is_at(before - 3, "[")) {
            auto of = names_before(before - 3);
            if (!of.empty() && of[0] == "package.preload")
                result_.preloaded.push_back({tokens_[before - 2].text, tokens_[before].line});
            return;
        }
        if (before >= 3 && is_at(before - 1, ">") && is_at(before - 3, "<")) before -= 3;
        auto names = names_before(before);
        std::size_t at = at_ + 1;
        for (auto name = names.rbegin(); name != names.rend() && at < tokens_.size(); ++name) {
            std::uint32_t line = tokens_[at].line;
            if (is_at(at, "{")) values_.assign_table(*name, at);
            if (is_at(at, "require") && !is_at(at + 1, "(") &&
                (at + 1 >= tokens_.size() || tokens_[at + 1].kind != Token::Kind::string))
                requires_.insert(*name);
            Values values = values_.expression(at);
            if (name->starts_with("package.preload."))
                result_.preloaded.push_back({name->substr(16), line});
            else if (*name == "package.path")
                add(result_.lua_path, values, line);
            else if (*name == "package.cpath")
                add(result_.c_path, values, line);
            else
                values_.assign(*name, values);
            note_paths(values, line);
            if (!is_at(at, ",")) break;
            ++at;
        }
    }

    /// for key, value in pairs(table)
    void read_loop() {
        auto names = names_before(at_);
        std::size_t at = at_ + 1;
        std::string function = values_.dotted_name(at);
        bool is_known = function == "pairs" || function == "ipairs";
        if (!is_known || names.empty() || (!is_at(at, "(") && !is_at(at, "{"))) return;
        std::string value = names[0], key = names.size() > 1 ? names[1] : std::string();
        if (is_at(at, "(")) ++at;
        std::string table = "a table that has no name";
        if (is_at(at, "{"))
            values_.assign_table(table, at);
        else
            table = values_.dotted_name(at);
        if (names.size() == 1) std::swap(key, value);
        values_.assign_items(function == "pairs" ? key : std::string(), value, table);
    }

    static void add(std::vector<TextAt>& list, const Values& values, std::uint32_t line) {
        for (const std::string& value : values)
            if (has_known(value)) list.push_back({value, line});
    }

    /// Whatever is made of the folder of the source is a path of a file that it uses.
    void note_paths(const Values& values, std::uint32_t line) {
        for (const std::string& value : values) {
            bool below = value.size() > 2 && (value.front() == own_folder || value.front() == entry_folder) &&
                         value[1] == '/' && value.find(';') == std::string::npos;
            if (below) result_.paths.push_back({value, line});
        }
    }

    /// _G.require is `require`.
    std::string global_name(std::size_t& at) const {
        std::string name = values_.dotted_name(at);
        return name.starts_with("_G.") ? name.substr(3) : name;
    }

    void read_name() {
        if (at_ > 0 && (is_at(at_ - 1, ".") || is_at(at_ - 1, ":") || is_at(at_ - 1, "function"))) return;
        std::uint32_t line = tokens_[at_].line;
        std::size_t at = at_;
        std::string function = global_name(at);
        if (function.empty() || at >= tokens_.size()) return;
        std::vector<Values> given;
        if (tokens_[at].kind == Token::Kind::string)
            given.push_back({tokens_[at].text});
        else if (is_at(at, "("))
            given = values_.arguments(at + 1);
        else
            return;
        for (const Values& values : given) note_paths(values, line);
        // pcall(require, "x"): the call that it makes.
        if (is_protecting(function) && is_at(at, "(")) {
            std::size_t inner = at + 1;
            std::string called = global_name(inner);
            std::size_t first = function == "pcall" ? 1 : 2;
            if (called.empty() || given.size() <= first) return;
            given.erase(given.begin(), given.begin() + static_cast<std::ptrdiff_t>(first));
            read_call(called, given, line, true);
            return;
        }
        read_call(function, given, line, is_guarded());
    }

    void read_call(const std::string& function, const std::vector<Values>& given, std::uint32_t line,
                   bool guarded) {
        if (given.empty()) return;
        const Values& first = given[0];
        std::string last = function.substr(function.rfind('.') + 1);
        if (last == "require" || last.ends_with("_require") || last == "prequire" ||
            requires_.contains(function)) {
            bool is_plain = function == "require";
            read_require(first, line, guarded || !is_plain);
        } else if (function == "package.searchpath") {
            read_require(first, line, true);
        } else if (function == "dofile" || function == "loadfile") {
            if (std::ranges::none_of(first, has_known)) result_.unknown_file = line;
            add(result_.files, first, line);
        } else if (function == "io.open" || function == "io.lines" || function == "io.input" ||
                   function == "io.output" || function == "lfs.dir") {
            bool writes = function == "io.output" ||
                          (given.size() > 1 && std::ranges::any_of(given[1], [](const std::string& mode) {
                               return mode.find_first_of("wa") != std::string::npos;
                           }));
            // "./" stands for the folder of the source where arg[0] has none.
            bool is_of_source = std::ranges::any_of(first, [](const std::string& path) {
                return !path.empty() && (path[0] == own_folder || path[0] == entry_folder);
            });
            if (!is_of_source) add(writes ? result_.written : result_.opened, first, line);
        } else if (function == "ffi.load" || function == "package.loadlib") {
            add(result_.libraries, first, line);
        } else if (function == "os.getenv") {
            add(result_.variables, first, line);
        } else if (function == "os.execute" || function == "io.popen") {
            for (const std::string& command : first) {
                std::string program = command.substr(0, command.find_first_of(" \t;|&<>"));
                if (!program.empty() && program.find(unknown) == std::string::npos)
                    result_.programs.push_back({program, line});
            }
        }
    }

    void read_require(const Values& names, std::uint32_t line, bool guarded) {
        bool any = false;
        for (const std::string& name : names) {
            if (!has_known(name) || name.find_first_of("\2\3\4\5\6") != std::string::npos) continue;
            any = true;
            result_.modules.push_back({name, line, guarded, is_in_function()});
        }
        if (!any) result_.unknown_module = line;
    }

    std::vector<Token> tokens_;
    Evaluator values_;
    std::size_t at_ = 0;
    std::vector<Block> blocks_;
    std::set<std::string> requires_; ///< other names of `require`
    ScanResult result_;
};

/// The version of the language is in the header of compiled code: 0x54 is 5.4.
std::string version_of_compiled(std::string_view text) {
    if (text.starts_with("\x1BLJ")) return "LuaJIT";
    if (!text.starts_with("\x1BLua") || text.size() < 5) return {};
    auto version = static_cast<unsigned char>(text[4]);
    return fmt::format("Lua {}.{}", version >> 4, version & 15);
}

} // namespace

ScanResult scan(std::string_view source, const std::string& module) {
    if (std::string version = version_of_compiled(source); !version.empty()) {
        ScanResult compiled;
        compiled.compiled_for = std::move(version);
        return compiled;
    }
    return Scanner(tokens_of(source), module).run();
}

} // namespace omnistasis::lua
