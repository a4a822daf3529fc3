#include "cli/job.h"
#include "dress/icon_pictures.h"
#include "support/near_match.h"

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <exception>
#include <fmt/format.h>
#include <malloc.h>

using namespace omnistasis;

namespace {

/// What CLI11 could not make sense of, in our own form: with the near matches among the commands and options.
Error usage_error(const CLI::App& program, const CLI::ParseError& problem, int count, char** words) {
    Error error{ErrorKind::usage, problem.what(), {}, {}, "omnistasis --help, or omnistasis COMMAND --help"};
    const CLI::App* command = &program;
    while (!command->get_subcommands().empty()) command = command->get_subcommands().back();
    std::vector<std::string> names;
    for (const CLI::App* sub : program.get_subcommands([](const CLI::App*) { return true; }))
        names.push_back(sub->get_name());
    if (command == &program && count == 1) {
        error.what = "no command was given";
        error.hint = "omnistasis build app.py, or omnistasis --help";
        return error;
    }
    if (command == &program && count > 1 && words[1][0] != '-') {
        error.what = fmt::format("there is no command `{}`", words[1]);
    } else {
        names.clear();
        for (const CLI::Option* option : command->get_options())
            for (const std::string& name : option->get_lnames()) names.push_back("--" + name);
        for (int i = 1; i < count; ++i) {
            std::string word = words[i];
            word = word.substr(0, word.find('='));
            if (!word.starts_with("--") || std::find(names.begin(), names.end(), word) != names.end())
                continue;
            error.what = fmt::format("there is no option `{}`", word);
            if (auto near = near_matches(word, names); !near.empty())
                error.hint = fmt::format("did you mean {}?", near.front());
            return error;
        }
        return error;
    }
    if (auto near = near_matches(words[1], names); !near.empty())
        error.hint = fmt::format("did you mean `{}`?", near.front());
    return error;
}

/// The process that draws icons for another of this program; its arguments are none of a user's.
int draw_icon(int count, char** words) {
    std::vector<int> edges;
    for (int i = 4; i < count; ++i) edges.push_back(std::atoi(words[i]));
    std::string made = dress::made_icon_pictures(words[2], words[3], edges);
    return std::fwrite(made.data(), 1, made.size(), stdout) == made.size() && std::fflush(stdout) == 0 ? 0
                                                                                                       : 1;
}

int run(int count, char** words) {
    if (count > 4 && words[1] == std::string_view(dress::icon_pictures_word)) return draw_icon(count, words);
    cli::handle_interruptions();
    CLI::App program("Makes standalone executables of applications in interpreted languages, and shows that "
                     "they run alone.",
                     "omnistasis");
    program.set_version_flag("--version", "omnistasis " OMNISTASIS_VERSION);
    program.require_subcommand(1);
    program.get_formatter()->column_width(28);
    program.get_formatter()->label("SUBCOMMAND", "COMMAND");
    program.get_formatter()->label("Subcommands", "Commands");
    program.get_formatter()->label("Positionals", "Arguments");
    program.footer("The shortest way:\n  omnistasis build app.py\nA complete example with explanations:\n  "
                   "omnistasis demo");
    int exit_code = cli::exit_done;
    // What is behind `--` belongs to an application that is run.
    int own = static_cast<int>(std::find(words, words + count, std::string_view("--")) - words);
    std::vector<std::string> behind(words + std::min(own + 1, count), words + count);
    cli::add_build_command(program, exit_code);
    cli::add_trace_command(program, exit_code);
    cli::add_why_command(program, exit_code);
    cli::add_rehearse_command(program, behind, exit_code);
    cli::add_prove_command(program, behind, exit_code);
    cli::add_inspect_command(program, exit_code);
    cli::add_report_command(program, exit_code);
    cli::add_profile_command(program, behind, exit_code);
    cli::add_compare_command(program, exit_code);
    cli::add_delta_command(program, exit_code);
    cli::add_icon_command(program, exit_code);
    cli::add_runtimes_command(program, exit_code);
    cli::add_targets_command(program, exit_code);
    cli::add_packages_command(program, exit_code);
    cli::add_lore_command(program, exit_code);
    cli::add_demo_command(program, exit_code);
    // An empty name comes from a variable of the shell that is not set; no command takes one.
    if (auto empty = std::find(words + 1, words + own, std::string_view()); empty != words + own) {
        std::string before = empty == words + 1 ? "omnistasis" : *(empty - 1);
        cli::print_error({ErrorKind::usage,
                          "an argument is empty",
                          "after " + before,
                          {},
                          "give it a value, or leave it out"});
        return cli::exit_code_of(ErrorKind::usage);
    }
    try {
        program.parse(own, words);
    } catch (const CLI::Success& asked) {
        return program.exit(asked);
    } catch (const CLI::ParseError& problem) {
        cli::print_error(usage_error(program, problem, count, words));
        return cli::exit_code_of(ErrorKind::usage);
    }
    return exit_code;
}

/// Prints an error even where nothing can be printed any more; gives its exit code.
int end_with(const Error& error) {
    try {
        cli::print_error(error);
    } catch (const std::exception&) {
        // The disk that standard error leads to is full, too: the exit code says it.
    }
    return cli::exit_code_of(error.kind);
}

int fault(const std::exception& error) {
    return end_with({ErrorKind::fault,
                     "Omnistasis itself has failed",
                     {},
                     error.what(),
                     "please report this, with the command that was given"});
}

} // namespace

int main(int count, char** words) {
    // Memory is taken in large steps: threads that grow it bit by bit wait for one another.
    ::mallopt(M_TOP_PAD, 4 << 20);

    try {
        int exit_code = run(count, words);
        std::fflush(nullptr);
#ifndef __SANITIZE_ADDRESS__
        // The system takes memory back faster than we could.
        std::_Exit(exit_code);
#endif
        return exit_code;
    } catch (const std::system_error& error) {
        // Whoever reads our output has seen enough.
        if (error.code() == std::errc::broken_pipe) return cli::exit_done;
        if (error.code() == std::errc::no_space_on_device || error.code() == std::errc::io_error)
            return end_with(
                {ErrorKind::unwritable, "can't write the result", {}, error.code().message(), {}});
        return fault(error);
    } catch (const std::exception& error) {
        return fault(error);
    }
}
