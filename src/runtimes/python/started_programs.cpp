#include "runtimes/python/started_programs.h"

#include <algorithm>
#include <array>

namespace omnistasis::python {

namespace {

constexpr std::array<std::string_view, 26> starting{"Popen",
                                                    "run",
                                                    "call",
                                                    "check_call",
                                                    "check_output",
                                                    "getoutput",
                                                    "getstatusoutput",
                                                    "system",
                                                    "popen",
                                                    "which",
                                                    "execvp",
                                                    "execvpe",
                                                    "execlp",
                                                    "execlpe",
                                                    "spawnlp",
                                                    "spawnvp",
                                                    "spawn",
                                                    "spawnvpe",
                                                    "spawnlpe",
                                                    "find_executable",
                                                    "posix_spawnp",
                                                    "create_subprocess_exec",
                                                    "create_subprocess_shell",
                                                    "startDetached",
                                                    "QProcess",
                                                    "spawn_async"};

/// Programs of every system or desktop, and the interpreter itself.
constexpr std::array<std::string_view, 62> everywhere{
    "sh",    "bash",    "env",     "cat",      "cp",   "mv",     "rm",     "ls",       "mkdir",
    "rmdir", "ln",      "chmod",   "chown",    "echo", "printf", "test",   "true",     "false",
    "kill",  "killall", "ps",      "id",       "who",  "whoami", "uname",  "hostname", "date",
    "sleep", "head",    "tail",    "grep",     "sed",  "awk",    "find",   "xargs",    "sort",
    "uniq",  "wc",      "cut",     "tr",       "tar",  "gzip",   "gunzip", "which",    "touch",
    "stty",  "tput",    "clear",   "less",     "more", "df",     "du",     "mount",    "umount",
    "nohup", "python",  "python3", "xdg-open", "open", "start",  "cmd",    "cls"};

/// The program's name in what a shell or `exec` is given.
std::string program_in(std::string text) {
    text = text.substr(0, text.find_first_of(" \t\n|;&<>"));
    bool is_name = !text.empty() && text.size() < 40 && text.front() != '-' &&
                   std::ranges::all_of(text, [](unsigned char c) {
                       return std::isalnum(c) != 0 || c == '-' || c == '_' || c == '.' || c == '+';
                   });
    if (!is_name || std::ranges::find(everywhere, text) != everywhere.end()) return {};
    return text;
}

} // namespace

std::vector<std::string> started_programs(const Constants& constants, std::string_view function,
                                          const std::vector<std::span<const Token>>& arguments) {
    if (arguments.empty() || std::ranges::find(starting, function) == starting.end()) return {};
    std::span<const Token> command = arguments[0];
    // Of a list the first one: it ends with a comma or the list.
    if (!command.empty() && (command[0].is("[") || command[0].is("("))) {
        command = command.subspan(1);
        std::size_t end = 0, depth = 0;
        while (end < command.size() &&
               (depth > 0 || (!command[end].is(",") && !command[end].is("]") && !command[end].is(")")))) {
            depth += command[end].is("(") || command[end].is("[");
            depth -= command[end].is(")") || command[end].is("]");
            ++end;
        }
        command = command.first(end);
    }
    std::vector<std::string> programs;
    for (const PossibleText& text : constants.evaluate(command)) {
        std::string program = program_in(text.text);
        bool is_whole = text.exact || text.text.find(' ') != std::string::npos;
        if (is_whole && !program.empty()) programs.push_back(std::move(program));
    }
    return programs;
}

} // namespace omnistasis::python
