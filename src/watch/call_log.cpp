#include "watch/call_log.h"

#include "support/subprocess.h"

#include <algorithm>
#include <charconv>
#include <filesystem>
#include <optional>
#include <utility>

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

bool contains(std::string_view text, std::string_view part) {
    return text.find(part) != std::string_view::npos;
}

/// The path that a call is about, made absolute; nothing where it has none or the folder is not known.
std::optional<std::string> path_of(std::string_view call) {
    std::size_t quote = call.find('"');
    if (quote == std::string_view::npos) return std::nullopt;
    std::string path = unescaped(call.substr(quote + 1), '"');
    if (path.starts_with('/')) return std::filesystem::path(path).lexically_normal().string();
    // The folder's descriptor stands in front: AT_FDCWD</the/folder>, 3</the/folder>
    std::size_t folder = call.substr(0, quote).find("</");
    if (path.empty() || folder == std::string_view::npos) return std::nullopt;
    return (std::filesystem::path(unescaped(call.substr(folder + 1), '>')) / path)
        .lexically_normal()
        .string();
}

class LogReader {
  public:
    explicit LogReader(const std::string& first_program) : first_program_(first_program) {
        calls_.started = first_program.empty();
    }

    void line(std::string_view line) {
        int process = 0;
        auto [end, error] = std::from_chars(line.data(), line.data() + line.size(), process);
        if (error != std::errc()) return;
        line.remove_prefix(static_cast<std::size_t>(end - line.data()));
        line.remove_prefix(std::min(line.find_first_not_of(' '), line.size()));
        if (line.starts_with("+++ ")) return ended(process, contains(line, "killed"));
        constexpr std::string_view unfinished = " <unfinished ...>";
        if (line.ends_with(unfinished)) {
            begun_[process] = line.substr(0, line.size() - unfinished.size());
            return;
        }
        std::string whole;
        if (line.starts_with("<... ")) {
            std::size_t behind = line.find(" resumed>");
            if (behind == std::string_view::npos) return;
            // The beginning is not in a log of successful calls only.
            std::string& begun = begun_[process];
            if (begun.empty()) begun = std::string(line.substr(5, behind - 5)) + "(";
            whole = std::exchange(begun, {}) + std::string(line.substr(behind + 9));
            line = whole;
        }
        call(process, line);
    }

    Calls finish() {
        // What ended by itself after the first process was not left behind: only what had to be killed, or
        // vanished with the root.
        if (first_ended_)
            for (const auto& [process, program] : program_of_)
                if (!ended_.contains(process)) calls_.left_behind.push_back(program);
        std::ranges::sort(calls_.left_behind);
        return std::move(calls_);
    }

  private:
    void call(int process, std::string_view line) {
        std::size_t equal = line.rfind(" = ");
        std::size_t bracket = line.find('(');
        if (equal == std::string_view::npos || bracket == std::string_view::npos) return;
        std::string_view name = line.substr(0, bracket), outcome = line.substr(equal + 3);
        bool failed = outcome.starts_with("-1");
        bool not_there = failed && (contains(outcome, "ENOENT") || contains(outcome, "ENOTDIR"));
        auto path = path_of(line.substr(bracket, equal - bracket));
        if (name == "execve" || name == "execveat") return executed(process, path, failed, not_there);
        if (!calls_.started) return;
        if (not_there) {
            // A file that a call would have made was not looked for.
            if (path && !contains(line, "O_CREAT")) calls_.missing.insert(*path);
            return;
        }
        bool opens = name == "openat" || name == "open" || name == "creat" || name == "openat2";
        if (failed || !opens) return;
        bool writes = name == "creat" || contains(line, "O_WRONLY") || contains(line, "O_RDWR");
        // Through a descriptor that stands for a place nothing can be read.
        bool is_folder = contains(line, "O_DIRECTORY") || contains(line, "O_PATH");
        // The descriptor tells which file it was in the end.
        std::size_t real = outcome.find("</");
        std::string file =
            real != std::string_view::npos ? unescaped(outcome.substr(real + 1), '>') : path.value_or("");
        if (file.empty()) return;
        if (writes)
            calls_.written.insert(file);
        else if (!is_folder) {
            calls_.opened.insert(file);
            if (path) calls_.opened.insert(*path);
        }
    }

    void executed(int process, const std::optional<std::string>& path, bool failed, bool not_there) {
        if (!path) return;
        if (!failed && !calls_.started && path->starts_with(first_program_)) {
            calls_.started = true;
            first_process_ = process;
        }
        if (!calls_.started) return;
        if (!failed) {
            program_of_[process] = *path;
            calls_.programs.insert(*path);
        } else if (not_there) {
            calls_.missing_programs.insert(*path);
        }
    }

    void ended(int process, bool killed) {
        if (process == first_process_) first_ended_ = true;
        if (!first_ended_ || !killed || process == first_process_) ended_.insert(process);
    }

    const std::string& first_program_;
    Calls calls_;
    std::map<int, std::string> begun_;      ///< calls of other threads that came in between
    std::map<int, std::string> program_of_; ///< of processes; threads have numbers too, and execute nothing
    std::set<int> ended_;                   ///< by themselves
    int first_process_ = -1;
    bool first_ended_ = false;
};

} // namespace

std::vector<std::string> call_log_options(bool looks) {
    const char* calls = looks ? "trace=%file" : "trace=openat,open,creat,execve";
    return {"strace", "-f", "-q",  "-y", "--seccomp-bpf", "-s",
            "4096",   "-e", calls, "-e", "signal=none",   "-o"};
}

Calls read_call_log(std::string_view log, const std::string& first_program) {
    LogReader reader(first_program);
    while (!log.empty()) {
        std::string_view line = log.substr(0, log.find('\n'));
        log.remove_prefix(std::min(line.size() + 1, log.size()));
        reader.line(line);
    }
    return reader.finish();
}

std::string why_blind() {
    // A list of runs asks again and again.
    static const std::string answer = []() -> std::string {
        auto tried = run_program(
            {"strace", "-f", "-qq", "--seccomp-bpf", "-e", "trace=execve", "-o", "/dev/null", "true"});
        if (!tried) return "strace is not installed";
        if (tried->exit_code == 0) return {};
        return "strace is not allowed to watch programs here: " + tried->err.substr(0, tried->err.find('\n'));
    }();
    return answer;
}

} // namespace omnistasis::watch
