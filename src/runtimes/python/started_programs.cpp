#include "runtimes/python/started_programs.h"

#include "trace/started_program.h"

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
        std::string program = trace::program_in(text.text);
        bool is_whole = text.exact || text.text.find(' ') != std::string::npos;
        if (is_whole && !program.empty()) programs.push_back(std::move(program));
    }
    return programs;
}

} // namespace omnistasis::python
