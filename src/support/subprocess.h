#pragma once

#include "support/error.h"

#include <cstdint>
#include <filesystem>
#include <functional>
#include <map>
#include <string>
#include <utility>
#include <vector>

namespace omnistasis {

/// What a finished program left: its streams and how it ended.
struct ProgramOutput {
    int exit_code = 0; ///< 128 + signal number where a signal ended it
    std::string out;
    std::string err;
    bool timed_out = false; ///< it was ended because its time was over
};

/// Whether a file can be started, and the one that a name means on PATH; empty where there is none.
bool is_program(const std::filesystem::path& file);
std::string find_on_path(const std::string& name);

/// Bounds for an unknown program. 0: no bound.
struct RunLimits {
    double seconds = 0;
    std::uint64_t most_output = 0; ///< bytes of each stream that are kept; what comes then is thrown away
    std::uint64_t most_file = 0;   ///< bytes of a file that it writes
    /// Called again and again while it runs; it is ended once this says so.
    std::function<bool()> enough;
};

/// Runs a program to its end with `input` on its standard input. `arguments[0]` is the program, found on PATH
/// where it holds no slash. Fails only where the program can't be started; a non-zero exit code is a result.
/// One that does not read all of its input is no error; this process has to ignore SIGPIPE for that.
Result<ProgramOutput> run_program(const std::vector<std::string>& arguments, const std::string& input = {},
                                  const RunLimits& limits = {});

/// A program that serves us while we work. It is asked to end with the object.
class BackgroundProgram {
  public:
    /// Starts it without standard streams and waits for its answer: a line on descriptor 3.
    static Result<BackgroundProgram> start(const std::vector<std::string>& arguments);
    BackgroundProgram(BackgroundProgram&& other) noexcept
        : process_(std::exchange(other.process_, -1)), answer_(std::move(other.answer_)) {}
    BackgroundProgram& operator=(BackgroundProgram&&) = delete;
    ~BackgroundProgram();

    /// The line; empty where it ended without one.
    const std::string& answer() const { return answer_; }

  private:
    BackgroundProgram() = default;
    int process_ = -1;
    std::string answer_;
};

/// Runs a program with this one's own standard streams, in `folder`, with `variables` added to the
/// environment. Returns its exit code, or 128 + signal number.
Result<int> run_in_foreground(const std::vector<std::string>& arguments,
                              const std::map<std::string, std::string>& variables,
                              const std::filesystem::path& folder);

/// Gives a signal to the program that runs in the foreground, and to the one that it has started; false where
/// there is none. One that comes `from_terminal` has reached them already.
bool pass_on_interruption(int signal, bool from_terminal);

} // namespace omnistasis
