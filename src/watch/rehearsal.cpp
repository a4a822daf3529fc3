#include "watch/rehearsal.h"

#include "support/files.h"
#include "support/subprocess.h"

#include <algorithm>

namespace omnistasis::watch {

namespace {

/// A quoted or bracketed text of the log, from behind its opening mark: octal and C escapes are undone.
std::string unescaped(std::string_view text, char closing) {
    std::string result;
    for (std::size_t i = 0; i < text.size() && text[i] != closing; ++i) {
        if (text[i] != '\\' || i + 1 >= text.size()) {
            result += text[i];
            continue;
        }
        char c = text[++i];
        if (c >= '0' && c <= '7') {
            int value = 0;
            for (int digits = 0; digits < 3 && i < text.size() && text[i] >= '0' && text[i] <= '7';
                 ++digits, ++i)
                value = value * 8 + (text[i] - '0');
            --i;
            result += static_cast<char>(value);
        } else {
            result += c == 'n'   ? '\n'
                      : c == 't' ? '\t'
                      : c == 'r' ? '\r'
                      : c == 'v' ? '\v'
                      : c == 'f' ? '\f'
                                 : c;
        }
    }
    return result;
}

/// Whether strace can watch programs here: it may be missing or not allowed to.
std::string why_blind() {
    auto tried = run_program(
        {"strace", "-f", "-qq", "--seccomp-bpf", "-e", "trace=execve", "-o", "/dev/null", "true"});
    if (!tried) return "strace is not installed";
    if (tried->exit_code == 0) return {};
    return "strace is not allowed to watch programs here: " + tried->err.substr(0, tried->err.find('\n'));
}

} // namespace

SeenFiles read_call_log(std::string_view log) {
    SeenFiles seen;
    while (!log.empty()) {
        std::string_view line = log.substr(0, log.find('\n'));
        log.remove_prefix(std::min(line.size() + 1, log.size()));
        // "PID open...(...) = 3</the/path>", or "<... openat resumed>) = 3</the/path>" after another thread's
        // call
        std::size_t equal = line.rfind(" = ");
        if (equal == std::string_view::npos || line.substr(equal + 3).starts_with("-1")) continue;
        std::size_t path = line.find("</", equal);
        bool executes = line.find("execve") < line.find('(');
        if (executes) {
            // The path may be relative to a folder that is not in the log; those that matter are absolute.
            std::size_t quote = line.find("(\"");
            if (quote != std::string_view::npos && line.substr(quote + 2).starts_with("/"))
                seen.programs.insert(unescaped(line.substr(quote + 2), '"'));
        } else if (path != std::string_view::npos) {
            std::string file = unescaped(line.substr(path + 1), '>');
            std::string_view call = line.substr(0, equal);
            bool writes = call.find("O_WRONLY") != std::string_view::npos ||
                          call.find("O_RDWR") != std::string_view::npos ||
                          call.find("creat(") != std::string_view::npos;
            std::error_code ignored;
            if (writes)
                seen.written.insert(file);
            else if (fs::is_regular_file(file, ignored))
                seen.read.insert(file);
        }
    }
    return seen;
}

Result<Rehearsal> run_watched(const std::vector<std::string>& command, const std::filesystem::path& folder,
                              const std::map<std::string, std::string>& variables,
                              const std::filesystem::path& scratch) {
    Rehearsal rehearsal;
    rehearsal.blind = why_blind();
    std::vector<std::string> watched;
    fs::path log = scratch / "calls";
    if (rehearsal.blind.empty())
        watched = {"strace",
                   "-f",
                   "-qq",
                   "-y",
                   "--seccomp-bpf",
                   "-s",
                   "4096",
                   "-e",
                   "trace=openat,open,creat,execve",
                   "-e",
                   "signal=none",
                   "-z",
                   "-o",
                   log.string(),
                   "--"};
    watched.insert(watched.end(), command.begin(), command.end());
    auto exit_code = run_in_foreground(watched, variables, folder);
    if (!exit_code) return tl::make_unexpected(exit_code.error());
    rehearsal.exit_code = *exit_code;
    if (auto text = MappedFile::open(log)) rehearsal.files = read_call_log(text->text());
    return rehearsal;
}

} // namespace omnistasis::watch
