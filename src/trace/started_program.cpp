#include "trace/started_program.h"

#include "native/native_kind.h"
#include "runtimes/conventions.h"
#include "support/files.h"
#include "support/subprocess.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>

namespace omnistasis::trace {

namespace {

/// Programs of every system or desktop.
constexpr std::array<std::string_view, 60> everywhere{
    "sh",   "bash",  "env",    "cat",    "cp",     "mv",       "rm",   "ls",    "mkdir", "rmdir",
    "ln",   "chmod", "chown",  "echo",   "printf", "test",     "true", "false", "kill",  "killall",
    "ps",   "id",    "who",    "whoami", "uname",  "hostname", "date", "sleep", "head",  "tail",
    "grep", "sed",   "awk",    "find",   "xargs",  "sort",     "uniq", "wc",    "cut",   "tr",
    "tar",  "gzip",  "gunzip", "which",  "touch",  "stty",     "tput", "clear", "less",  "more",
    "df",   "du",    "mount",  "umount", "nohup",  "xdg-open", "open", "start", "cmd",   "cls"};

} // namespace

std::string program_in(std::string_view command) {
    std::string_view name = command.substr(0, command.find_first_of(" \t\n|;&<>"));
    bool is_name = !name.empty() && name.size() < 40 && name.front() != '-' &&
                   std::ranges::all_of(name, [](unsigned char c) {
                       return std::isalnum(c) != 0 || c == '-' || c == '_' || c == '.' || c == '+';
                   });
    if (!is_name || std::ranges::find(everywhere, name) != everywhere.end()) return {};
    return std::string(name);
}

std::optional<LooseEnd> starts_program(const Project& project, const std::string& program,
                                       const std::string& source, std::uint32_t line, bool minor) {
    bool is_named = std::ranges::any_of(
        project.programs, [&](const std::string& one) { return fs::path(one).filename() == program; });
    // The application's own interpreter is carried.
    bool is_interpreter = std::ranges::any_of(conventions(), [&](const Conventions* one) {
        return one->language == project.language &&
               std::ranges::find(one->interpreters, program) != one->interpreters.end();
    });
    std::string file = find_on_path(program);
    if (is_named || is_interpreter || file.empty()) return std::nullopt;
    bool is_native = native::kind_of(real_path(file)).fits(project.targets.front());
    return LooseEnd{
        .kind = "starts-program",
        .what = fmt::format("it starts `{}`, a program that is not carried", program),
        .file = source,
        .line = line,
        .effect = "where the program is not installed, that part of the application does not work",
        .advice = is_native ? fmt::format("carry it with --program {}, and see with `omnistasis prove` "
                                          "whether that is all it needs",
                                          program)
                            : "tell the application's users to install it",
        .minor = minor};
}

} // namespace omnistasis::trace
