#include "cli/side_by_side.h"

#include "cli/terminal.h"
#include "support/error.h"

#include <algorithm>
#include <array>
#include <csignal>
#include <cstdio>
#include <sys/mman.h>
#include <sys/prctl.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>
#include <vector>

namespace omnistasis::cli {

namespace {

/// A part at work, and the files in memory that take what it says.
struct Part {
    pid_t process = -1;
    int out = -1, err = -1;
    int exit_code = -1; ///< -1 until it has ended
};

[[noreturn]] void work(const Part& self, std::size_t number, const std::function<int(std::size_t)>& part) {
    // Whoever ends this command ends its parts.
    ::prctl(PR_SET_PDEATHSIG, SIGTERM);
    ::dup2(self.out, STDOUT_FILENO);
    ::dup2(self.err, STDERR_FILENO);
    handle_interruptions();
    int code = part(number);
    std::fflush(nullptr);
    ::_exit(code);
}

/// Prints what is in the file, and closes it.
void pass_on_text(int from, std::FILE* to) {
    std::array<char, 1 << 16> buffer;
    ::lseek(from, 0, SEEK_SET);
    for (ssize_t size; (size = ::read(from, buffer.data(), buffer.size())) > 0;)
        std::fwrite(buffer.data(), 1, static_cast<std::size_t>(size), to);
    std::fflush(to);
    ::close(from);
}

} // namespace

int run_side_by_side(std::size_t count, const std::function<int(std::size_t)>& part,
                     const std::function<void()>& done) {
    std::size_t most = std::max(1u, std::thread::hardware_concurrency());
    std::vector<Part> parts(count);
    std::size_t started = 0, running = 0, said = 0;
    styled("", Style::bold, STDOUT_FILENO); // looks at the terminal while it is ours
    std::fflush(nullptr);
    while (said < count) {
        for (; started < count && running < most; ++started, ++running) {
            Part& one = parts[started];
            one.out = ::memfd_create("out", MFD_CLOEXEC);
            one.err = ::memfd_create("err", MFD_CLOEXEC);
            one.process = one.out < 0 || one.err < 0 ? -1 : ::fork();
            if (one.process == 0) work(one, started, part);
            // Where there can't be another process it is done in this one, with what is there.
            if (one.process < 0) one.exit_code = part(started), --running;
        }
        int status = 0;
        pid_t ended = running == 0 ? -1 : ::wait(&status);
        for (Part& one : parts)
            if (one.process == ended && ended > 0) {
                one.exit_code = WIFEXITED(status) ? WEXITSTATUS(status) : exit_code_of(ErrorKind::fault);
                --running;
                done();
            }
        for (; said < count && parts[said].exit_code >= 0; ++said) {
            const Part& one = parts[said];
            pass_on_text(one.out, stdout);
            pass_on_text(one.err, stderr);
            if (one.exit_code == 0) continue;
            for (const Part& other : parts)
                if (other.process > 0 && other.exit_code < 0) {
                    ::kill(other.process, SIGTERM);
                    ::waitpid(other.process, nullptr, 0);
                }
            return one.exit_code;
        }
    }
    return 0;
}

} // namespace omnistasis::cli
