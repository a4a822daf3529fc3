#include "cli/terminal.h"

#include "support/files.h"
#include "support/subprocess.h"
#include "support/text.h"

#include <algorithm>
#include <array>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <fmt/format.h>
#include <sys/ioctl.h>
#include <thread>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

bool is_coloured(int descriptor) {
    const char* no_colour = std::getenv("NO_COLOR");
    // As the program was started: where a part of it works, its output may lead to the whole first.
    static const std::array<bool, 3> is_terminal{false, ::isatty(STDOUT_FILENO) != 0,
                                                 ::isatty(STDERR_FILENO) != 0};
    return is_terminal[static_cast<std::size_t>(descriptor)] && (no_colour == nullptr || *no_colour == '\0');
}

constexpr std::array<std::string_view, 4> own_sequences{"\033[1m", "\033[33m", "\033[31;1m", "\033[0m"};

} // namespace

std::string printable(std::string text) {
    auto is_command = [&](std::size_t at) {
        auto c = static_cast<unsigned char>(text[at]);
        // The second half of the controls, in UTF-8 (ISO 6429's C1).
        if (c == 0xC2 && at + 1 < text.size()) return static_cast<unsigned char>(text[at + 1]) < 0xA0;
        return (c < 0x20 && c != '\n' && c != '\t') || c == 0x7F;
    };
    std::size_t first = 0;
    while (first < text.size() && !is_command(first)) ++first;
    if (first == text.size()) return text;
    std::string shown = text.substr(0, first);
    for (std::size_t at = first; at < text.size(); ++at) {
        auto own = std::ranges::find_if(own_sequences, [&](std::string_view sequence) {
            return std::string_view(text).substr(at).starts_with(sequence);
        });
        if (own != own_sequences.end()) {
            shown += *own;
            at += own->size() - 1;
        } else if (!is_command(at)) {
            shown += text[at];
        } else {
            if (text[at] == '\xC2') ++at;
            shown += fmt::format("\\u{:04x}", static_cast<unsigned char>(text[at]));
        }
    }
    return shown;
}

int exit_code_of(ErrorKind kind) {
    switch (kind) {
    case ErrorKind::refused:
        return 1;
    case ErrorKind::usage:
        return 2;
    case ErrorKind::bad_input:
    case ErrorKind::unreadable:
        return 3;
    case ErrorKind::missing:
    case ErrorKind::unwritable:
        return 4;
    case ErrorKind::fault:
        return 70;
    }
    return 70;
}

std::string styled(const std::string& text, Style style, int descriptor) {
    if (!is_coloured(descriptor)) return text;
    const char* code = style == Style::bold ? "1" : style == Style::warning ? "33" : "31;1";
    return fmt::format("\033[{}m{}\033[0m", code, text);
}

std::string shown_path(const std::string& path) {
    static const std::string here = [] {
        std::error_code failed;
        return fs::current_path(failed).string();
    }();
    // Most paths are written plainly, and lead elsewhere.
    if (path.find("/.") == std::string::npos && !path.starts_with(here)) return path;
    std::string relative = here.empty() ? std::string() : fs::path(path).lexically_relative(here).string();
    return relative.empty() || relative.starts_with("..") ? path : relative;
}

std::string typed_path(const std::string& path) {
    std::string shown = shown_path(path);
    constexpr std::string_view plain =
        "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-./+:,@%";
    if (shown.find_first_not_of(plain) == std::string::npos) return shown;
    replace_all(shown, "'", "'\\''");
    return "'" + shown + "'";
}

void print_error(const Error& error) {
    std::string text = styled("error", Style::error, STDERR_FILENO) + ": " + error.what + "\n";
    auto line = [&](const char* label, const std::string& value) {
        if (!value.empty()) text += fmt::format("  {:6} {}\n", label, value);
    };
    line("where", error.where);
    line("why", error.why);
    line("try", error.hint);
    say(stderr, "{}", text);
}

int finish(const Result<void>& done) {
    if (done) return exit_done;
    print_error(done.error());
    return exit_code_of(done.error().kind);
}

void print_loose_ends(const std::vector<trace::LooseEnd>& ends, bool all, const std::string& record) {
    std::size_t most = all ? ends.size() : 10;
    std::vector<const trace::LooseEnd*> listed;
    std::size_t minor = 0;
    for (const trace::LooseEnd& end : ends) {
        if (end.minor && !all)
            ++minor;
        else
            listed.push_back(&end);
    }
    std::string text;
    if (!listed.empty()) {
        text = styled(plural(listed.size(), "loose end", "loose ends"), Style::warning, STDERR_FILENO) + "\n";
    }
    for (std::size_t i = 0; i < listed.size() && i < most; ++i) {
        const trace::LooseEnd& end = *listed[i];
        std::string where =
            end.line != 0 ? fmt::format("{}:{}", shown_path(end.file), end.line) : shown_path(end.file);
        text +=
            fmt::format("  {}: {}\n    effect {}\n    try    {}\n", where, end.what, end.effect, end.advice);
    }
    if (listed.size() > most) text += fmt::format("  and {} more, all in {}\n", listed.size() - most, record);
    if (minor > 0)
        text += fmt::format("{} of less weight, with -v or in {}\n", plural(minor, "loose end", "loose ends"),
                            record);
    say(stderr, "{}", text);
}

std::string plural(std::size_t count, const std::string& one, const std::string& many) {
    return fmt::format("{} {}", count, count == 1 ? one : many);
}

ProgressLine::ProgressLine(bool quiet) : shows_(!quiet && ::isatty(STDERR_FILENO)) {}
ProgressLine::~ProgressLine() { clear(); }

void ProgressLine::step(std::string_view name, std::size_t total) {
    std::lock_guard lock(mutex_);
    name_ = name;
    total_ = total;
    done_ = 0;
    counts_bytes_ = false;
    begin_ = std::chrono::steady_clock::now();
    if (shows_) draw();
}

void ProgressLine::step_of_bytes(std::string_view name, std::size_t total) {
    step(name, total);
    std::lock_guard lock(mutex_);
    counts_bytes_ = true;
}

void ProgressLine::advance(std::size_t count) {
    std::lock_guard lock(mutex_);
    done_ += count;
    auto now = std::chrono::steady_clock::now();
    if (!shows_ || now - last_ < std::chrono::milliseconds(40)) return;
    last_ = now;
    draw();
}

void ProgressLine::draw() {
    winsize window{};
    std::size_t columns =
        ::ioctl(STDERR_FILENO, TIOCGWINSZ, &window) == 0 && window.ws_col > 0 ? window.ws_col : 80;
    std::string line = fmt::format("{:12}", name_);
    if (total_ > 0) {
        std::size_t width = columns > 50 ? 30 : 10;
        double share = std::min(1.0, static_cast<double>(done_) / static_cast<double>(total_));
        auto filled = static_cast<std::size_t>(share * static_cast<double>(width));
        line += fmt::format(" {}{} {:3.0f} %", std::string(filled, '='), std::string(width - filled, '.'),
                            share * 100);
    } else if (done_ > 0) {
        line += fmt::format(" {}", done_);
    }
    double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin_).count();
    if (counts_bytes_ && seconds > 0.2)
        line += fmt::format("  {}/s",
                            size_text(static_cast<std::uint64_t>(static_cast<double>(done_) / seconds)));
    if (line.size() >= columns) line.resize(columns - 1);
    fmt::print(stderr, "\r\033[K{}", line);
    std::fflush(stderr);
    drawn_ = true;
}

void ProgressLine::clear() {
    std::lock_guard lock(mutex_);
    if (drawn_) fmt::print(stderr, "\r\033[K");
    std::fflush(stderr);
    drawn_ = false;
}

void handle_interruptions() {
    ::signal(SIGPIPE, SIG_IGN);
    sigset_t signals;
    sigemptyset(&signals);
    for (int number : {SIGINT, SIGTERM, SIGHUP}) sigaddset(&signals, number);
    pthread_sigmask(SIG_BLOCK, &signals, nullptr);
    std::thread([signals] {
        int number = 0;
        siginfo_t from;
        do {
            number = sigwaitinfo(&signals, &from);
        } while (number < 0 || pass_on_interruption(number, from.si_code == SI_KERNEL));
        remove_staging_folders();
        if (::isatty(STDERR_FILENO)) fmt::print(stderr, "\r\033[K");
        say(stderr, "interrupted: nothing was changed\n");
        ::_exit(128 + number);
    }).detach();
}

} // namespace omnistasis::cli
