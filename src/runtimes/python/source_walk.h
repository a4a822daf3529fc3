#pragma once

// The scanner's inside: one walk over a source, line by line. What blocks decide (which code runs, and
// whether always) is in scanner.cpp, what statements ask for in scanner_statements.cpp, what expressions and
// calls ask for in scanner_calls.cpp.

#include "runtimes/python/constants.h"
#include "runtimes/python/lexer.h"
#include "runtimes/python/scanner.h"

#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::python {

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
    ScanResult run();

  private:
    void leave_blocks(std::uint32_t indent);
    bool dead() const;
    Certainty certainty() const;
    void read_line(Tokens line);
    static std::size_t find_colon(Tokens line, std::size_t from);
    static std::size_t find_statement_end(Tokens line, std::size_t from);
    std::optional<Block> previous_branch() const;
    void enter(Tokens header);
    std::string_view taken_parameter() const;
    std::string names_compared(Tokens condition) const;
    std::string names_to_take(Request::Kind kind, std::string_view module) const;
    static bool expects_missing_modules(Tokens handler);
    void note_loop(Tokens header);
    void read_statement(Tokens statement);
    void note_file_paths(Tokens tokens);
    static bool ends_expression(const Token& token);
    void note_search_path(Tokens statement);
    static std::string dotted_name(Tokens tokens, std::size_t& position);
    Request& add_request(Request::Kind kind, std::uint32_t line, std::string module);
    void read_import(Tokens statement);
    void read_from(Tokens statement);
    void note_module(std::string_view name);
    void note_taken_name(std::string_view module, std::string_view name);
    void read_expressions(Tokens tokens);
    void note_run_module(Tokens tokens, std::size_t i);
    void note_string(Tokens tokens, std::size_t i);
    void note_code(const Token& token);
    void note_watched(const Token& token);
    void note_taken(std::string_view name);
    void note_name(Tokens tokens, std::size_t i);
    void note_registered(Tokens tokens, std::size_t open);
    void note_running(Tokens tokens, std::size_t i, const std::vector<Tokens>& arguments);
    void read_call(const Token& callee, const std::vector<Tokens>& arguments);
    void note_attached_parts(const std::vector<Tokens>& arguments, std::size_t from);
    void note_metadata(const Token& callee, const std::vector<Tokens>& arguments);
    void note_entry_points(const Token& callee, const std::vector<Tokens>& arguments, bool by_keyword);
    void note_resource_package(Tokens first);
    void note_codec(Tokens expression, std::uint32_t line, bool may_be_computed);
    void note_import_suffix(Tokens expression);
    void note_started(Tokens tokens, std::size_t callee, const std::vector<Tokens>& arguments);
    static bool splits_path(Tokens before);
    std::string_view name_at_home(std::string_view name) const;
    bool may_start_programs(Tokens tokens, std::size_t callee) const;
    void read_import_call(const Token& callee, const std::vector<Tokens>& arguments);
    static std::size_t import_level(const std::vector<Tokens>& arguments);
    void read_from_list(const Token& callee, const std::string& module, const std::vector<Tokens>& arguments);
    void note_walk(const Token& callee, Tokens path);
    void note_library(const Token& callee, const std::vector<Tokens>& arguments);
    void note_opened_path(Tokens first);
    void note_library_version(const std::vector<Tokens>& arguments);
    void read_entry_point(const Token& callee, const std::vector<Tokens>& arguments);

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

} // namespace omnistasis::python
