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

ScanResult Scanner::run() {
    std::vector<Token> line;
    while (lexer_.next_line(line)) {
        leave_blocks(lexer_.indent());
        read_line(line);
    }
    std::ranges::sort(result_.names_taken);
    result_.names_taken.erase(std::unique(result_.names_taken.begin(), result_.names_taken.end()),
                              result_.names_taken.end());
    return std::move(result_);
}

void Scanner::leave_blocks(std::uint32_t indent) {
    closed_.reset();
    while (!blocks_.empty() && blocks_.back().indent >= indent) {
        closed_ = blocks_.back();
        blocks_.pop_back();
    }
    if (closed_ && closed_->indent != indent) closed_.reset();
}

bool Scanner::dead() const { return !blocks_.empty() && blocks_.back().dead; }

Certainty Scanner::certainty() const {
    bool guarded = false;
    for (const Block& block : blocks_) {
        if (block.kind == Block::Kind::function) return Certainty::deferred;
        guarded |= block.guarded;
    }
    return guarded ? Certainty::guarded : Certainty::always;
}

void Scanner::read_line(Tokens line) {
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

std::size_t Scanner::find_colon(Tokens line, std::size_t from) {
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

std::size_t Scanner::find_statement_end(Tokens line, std::size_t from) {
    for (std::size_t i = from; i < line.size();) {
        if (line[i].is(";")) return i;
        i = line[i].is("(") || line[i].is("[") || line[i].is("{") ? behind_closing(line, i) : i + 1;
    }
    return line.size();
}

/// The chain that `elif`, `else`, `except` or `finally` at this indent goes on with.
std::optional<Block> Scanner::previous_branch() const {
    if (closed_) return closed_;
    if (pending_ && pending_->indent == lexer_.indent()) return pending_;
    return std::nullopt;
}

void Scanner::enter(Tokens header) {
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
std::string_view Scanner::taken_parameter() const {
    for (const Block& block : blocks_)
        if (!block.taken.empty()) return block.taken;
    return {};
}

/// if name == "part", if name in ("part", "other"): the names in it, one a line
std::string Scanner::names_compared(Tokens condition) const {
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
std::string Scanner::names_to_take(Request::Kind kind, std::string_view module) const {
    if (taken_parameter().empty()) return {};
    for (const Block& block : blocks_)
        if (!block.taken_names.empty()) return block.taken_names;
    return kind == Request::Kind::family && module.ends_with('.') ? "*" : "";
}

bool Scanner::expects_missing_modules(Tokens handler) {
    static constexpr std::array<std::string_view, 5> caught{"ImportError", "ModuleNotFoundError", "Exception",
                                                            "BaseException", "AttributeError"};
    return handler.empty() || std::ranges::any_of(handler, [](const Token& token) {
               return std::ranges::find(caught, token.text) != caught.end() && token.kind == TokenKind::name;
           });
}

/// for NAME in (literal, ...), for NAME in LIST
void Scanner::note_loop(Tokens header) {
    if (header.size() < 3 || header[0].kind != TokenKind::name || !header[1].is("in")) return;
    Tokens over = header.subspan(2);
    bool literal =
        (over[0].is("(") || over[0].is("[") || over[0].is("{")) && behind_closing(over, 0) == over.size();
    if (literal) constants_.loop_over(header[0].text, over.subspan(1, over.size() - 2));
    if (over.size() == 1) constants_.loop_over(header[0].text, over);
}

ScanResult scan(std::string_view source, std::string_view own_name, std::string_view package,
                const ScanFacts& facts) {
    return Scanner(source, own_name, package, facts).run();
}

} // namespace omnistasis::python
