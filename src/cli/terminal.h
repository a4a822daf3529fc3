#pragma once

#include "support/error.h"
#include "support/observer.h"
#include "support/size_text.h"
#include "trace/graph.h"

#include <chrono>
#include <cstdint>
#include <cstdio>
#include <fmt/format.h>
#include <mutex>
#include <string>
#include <utility>
#include <vector>

namespace omnistasis::cli {

/// `text` with what a terminal would take for a command made visible, as `\u001b` for an escape: names of
/// files and packages can hold anything. Line ends, tabs and the colours of `styled` stay. Within the strings
/// of JSON the form means the same sign.
std::string printable(std::string text);

/// Prints a text to standard output or error: the one way in which commands say something.
template <typename... T> void say(std::FILE* to, fmt::format_string<T...> form, T&&... values) {
    std::string text = printable(fmt::format(form, std::forward<T>(values)...));
    std::fwrite(text.data(), 1, text.size(), to);
}

/// Exit codes (docs/exit-codes.md).
constexpr int exit_done = 0;
int exit_code_of(ErrorKind kind);

/// Prints an error to standard error: what, where, why and what to try, each where it is known.
void print_error(const Error& error);

/// Ends a command: prints the error, if there is one, and returns the exit code.
int finish(const Result<void>& done);

/// Prints what the trace could not settle to standard error: all, or the first few, and of the minor ones
/// only how many there are. `record` is the file that has all of them.
void print_loose_ends(const std::vector<trace::LooseEnd>& ends, bool all, const std::string& record);

/// "1 file", "3 files".
std::string plural(std::size_t count, const std::string& one, const std::string& many);

/// `text` in bold, or in the colour of a warning or an error, where standard error (or output) is a terminal
/// and NO_COLOR is not set.
enum class Style { bold, warning, error };
std::string styled(const std::string& text, Style style, int descriptor);

/// A path as the user would write it: relative to the present folder where it is below it.
std::string shown_path(const std::string& path);

/// The same as a word of a command that a shell reads.
std::string typed_path(const std::string& path);

/// Shows progress in one line of standard error, and only on a terminal.
class ProgressLine : public Observer {
  public:
    explicit ProgressLine(bool quiet);
    ~ProgressLine() override;
    void step(std::string_view name, std::size_t total) override;
    void step_of_bytes(std::string_view name, std::size_t total) override;
    void advance(std::size_t count) override;
    /// Takes the line off the screen.
    void clear();

  private:
    void draw();
    bool shows_ = false;
    std::mutex mutex_;
    std::string name_;
    std::size_t total_ = 0;
    std::size_t done_ = 0;
    bool counts_bytes_ = false;
    std::chrono::steady_clock::time_point begin_; ///< of the step
    bool drawn_ = false;
    std::chrono::steady_clock::time_point last_;
};

/// From here on an interruption (Ctrl-C, a hang-up, a request to end) removes everything half-made and ends
/// the program. Called once, before any other thread is started.
void handle_interruptions();

} // namespace omnistasis::cli
