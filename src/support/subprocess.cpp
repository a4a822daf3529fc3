#include "support/subprocess.h"

#include "support/files.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <fcntl.h>
#include <fstream>
#include <poll.h>
#include <spawn.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

extern char** environ;

namespace omnistasis {

bool is_program(const std::filesystem::path& file) {
    return is_file(file) && ::access(file.c_str(), X_OK) == 0;
}

std::string find_on_path(const std::string& name) {
    const char* path = std::getenv("PATH");
    std::string_view rest = path ? path : "/usr/local/bin:/usr/bin:/bin";
    while (!rest.empty()) {
        std::size_t end = std::min(rest.find(':'), rest.size());
        std::filesystem::path file = std::filesystem::path(rest.substr(0, end)) / name;
        if (is_program(file)) return file.string();
        rest.remove_prefix(std::min(end + 1, rest.size()));
    }
    return {};
}

namespace {

struct Pipe {
    int read = -1;
    int write = -1;
    Pipe() {
        int ends[2];
        if (::pipe2(ends, O_CLOEXEC) == 0) {
            read = ends[0];
            write = ends[1];
        }
    }
    ~Pipe() {
        close_end(read);
        close_end(write);
    }
    static void close_end(int& end) {
        if (end >= 0) ::close(std::exchange(end, -1));
    }
};

/// Feeds and drains all three streams together, so that neither side ever waits for the other.
void exchange_streams(Pipe& in, Pipe& out, Pipe& err, std::string_view input, pid_t program,
                      const RunLimits& limits, ProgramOutput& result) {
    auto start = std::chrono::steady_clock::now();
    bool watches = limits.seconds > 0 || limits.enough;
    bool asked_to_end = false;
    ::fcntl(in.write, F_SETFL, O_NONBLOCK);
    if (input.empty()) Pipe::close_end(in.write);
    std::array<char, 65536> buffer;
    while (in.write >= 0 || out.read >= 0 || err.read >= 0) {
        std::array<pollfd, 3> waits{{{in.write, POLLOUT, 0}, {out.read, POLLIN, 0}, {err.read, POLLIN, 0}}};
        if (watches) {
            std::chrono::duration<double> passed = std::chrono::steady_clock::now() - start;
            if (limits.seconds > 0 && passed.count() > limits.seconds && !result.timed_out) {
                result.timed_out = true;
                ::kill(program, SIGKILL);
            }
            if (!asked_to_end && limits.enough && limits.enough()) {
                asked_to_end = true;
                ::kill(program, SIGKILL);
            }
        }
        if (::poll(waits.data(), waits.size(), watches ? 50 : -1) < 0) {
            if (errno == EINTR) continue;
            return;
        }
        if (waits[0].revents != 0) {
            ssize_t count = ::write(in.write, input.data(), input.size());
            if (count > 0) input.remove_prefix(static_cast<std::size_t>(count));
            if (input.empty() || (count < 0 && errno != EAGAIN)) Pipe::close_end(in.write);
        }
        for (auto [index, pipe, text] :
             {std::tuple(1, &out, &result.out), std::tuple(2, &err, &result.err)}) {
            if (waits[static_cast<std::size_t>(index)].revents == 0) continue;
            ssize_t count = ::read(pipe->read, buffer.data(), buffer.size());
            if (count > 0) {
                // What is more than is kept is read all the same: it shall not wait for us.
                text->append(buffer.data(), static_cast<std::size_t>(count));
                if (limits.most_output != 0 && text->size() > limits.most_output)
                    text->resize(limits.most_output);
            } else if (count == 0 || errno != EINTR) {
                Pipe::close_end(pipe->read);
            }
        }
    }
}

/// Starts a program with signals as they were when we were started, and destroys `actions`. Returns an errno
/// value.
int spawn(pid_t& child, posix_spawn_file_actions_t& actions, const std::vector<std::string>& arguments) {
    std::vector<char*> argv;
    for (const auto& argument : arguments) argv.push_back(const_cast<char*>(argument.c_str()));
    argv.push_back(nullptr);
    // We ignore SIGPIPE; the program shall not inherit that.
    posix_spawnattr_t attributes;
    posix_spawnattr_init(&attributes);
    sigset_t defaults;
    sigemptyset(&defaults);
    sigaddset(&defaults, SIGPIPE);
    posix_spawnattr_setsigdefault(&attributes, &defaults);
    // Nor that we wait for some signals in a thread of their own.
    sigset_t none;
    sigemptyset(&none);
    posix_spawnattr_setsigmask(&attributes, &none);
    posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGDEF | POSIX_SPAWN_SETSIGMASK);
    int failed = ::posix_spawnp(&child, argv[0], &actions, &attributes, argv.data(), environ);
    posix_spawnattr_destroy(&attributes);
    posix_spawn_file_actions_destroy(&actions);
    return failed;
}

std::atomic<pid_t> foreground_program = 0;

int exit_code_of(int status) { return WIFSIGNALED(status) ? 128 + WTERMSIG(status) : WEXITSTATUS(status); }

} // namespace

Result<int> run_in_foreground(const std::vector<std::string>& arguments,
                              const std::map<std::string, std::string>& variables,
                              const std::filesystem::path& folder) {
    std::vector<char*> argv;
    for (const auto& argument : arguments) argv.push_back(const_cast<char*>(argument.c_str()));
    argv.push_back(nullptr);
    std::vector<std::string> texts;
    for (char** variable = environ; *variable != nullptr; ++variable) {
        std::string text = *variable;
        if (!variables.contains(text.substr(0, text.find('=')))) texts.push_back(std::move(text));
    }
    for (const auto& [name, value] : variables) texts.push_back(name + "=" + value);
    std::vector<char*> environment;
    for (std::string& text : texts) environment.push_back(text.data());
    environment.push_back(nullptr);

    pid_t child = ::fork();
    if (child < 0)
        return fail(ErrorKind::missing, "can't start the program", arguments[0], system_text(errno));
    if (child == 0) {
        // Nothing here but calls that are safe between fork and exec.
        ::signal(SIGPIPE, SIG_DFL);
        sigset_t none;
        sigemptyset(&none);
        ::sigprocmask(SIG_SETMASK, &none, nullptr);
        if (::chdir(folder.c_str()) == 0) ::execvpe(argv[0], argv.data(), environment.data());
        ::_exit(127);
    }
    foreground_program = child;
    int status = 0;
    while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    foreground_program = 0;
    return exit_code_of(status);
}

bool pass_on_interruption(int signal, bool from_terminal) {
    pid_t program = foreground_program;
    if (program == 0) return false;
    if (from_terminal) return true;
    // A watcher in between ignores signals that are meant for what it watches.
    std::ifstream children("/proc/" + std::to_string(program) + "/task/" + std::to_string(program) +
                           "/children");
    for (pid_t child = 0; children >> child;) ::kill(child, signal);
    ::kill(program, signal);
    return true;
}

Result<BackgroundProgram> BackgroundProgram::start(const std::vector<std::string>& arguments) {
    Pipe answer;
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, answer.write, 3);
    for (int stream : {0, 1, 2}) posix_spawn_file_actions_addopen(&actions, stream, "/dev/null", O_RDWR, 0);
    BackgroundProgram program;
    if (int failed = spawn(program.process_, actions, arguments); failed != 0) {
        program.process_ = -1;
        return fail(ErrorKind::missing, "can't start the program", arguments[0], system_text(failed));
    }
    Pipe::close_end(answer.write);
    char byte = 0;
    for (ssize_t count; (count = ::read(answer.read, &byte, 1)) != 0 && byte != '\n';)
        if (count > 0)
            program.answer_ += byte;
        else if (errno != EINTR)
            break;
    return program;
}

BackgroundProgram::~BackgroundProgram() {
    if (process_ < 0) return;
    ::kill(process_, SIGTERM);
    int status = 0;
    while (::waitpid(process_, &status, 0) < 0 && errno == EINTR) {
    }
}

Result<ProgramOutput> run_program(const std::vector<std::string>& arguments, const std::string& input,
                                  const RunLimits& limits) {
    Pipe in, out, err;
    if (in.read < 0 || out.read < 0 || err.read < 0)
        return fail(ErrorKind::missing, "can't open a pipe", arguments[0], system_text(errno));

    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, in.read, 0);
    posix_spawn_file_actions_adddup2(&actions, out.write, 1);
    posix_spawn_file_actions_adddup2(&actions, err.write, 2);
    pid_t child = 0;
    // Set from outside, a bound may come after the program's first writes; util-linux sets it before.
    std::string setter = limits.most_file != 0 ? find_on_path("prlimit") : std::string();
    std::vector<std::string> bounded;
    if (!setter.empty()) {
        std::string most = std::to_string(limits.most_file);
        bounded = {setter, "--fsize=" + most + ":" + most, "--"};
        bounded.insert(bounded.end(), arguments.begin(), arguments.end());
    }
    int failed = spawn(child, actions, bounded.empty() ? arguments : bounded);
    if (failed != 0)
        return fail(ErrorKind::missing, "can't start the program", arguments[0], system_text(failed));

    Pipe::close_end(in.read);
    Pipe::close_end(out.write);
    Pipe::close_end(err.write);
    ProgramOutput result;
    if (bounded.empty() && limits.most_file != 0) {
        // It has just begun, and what it starts inherits this.
        rlimit most{limits.most_file, limits.most_file};
        ::prlimit(child, RLIMIT_FSIZE, &most, nullptr);
    }
    exchange_streams(in, out, err, input, child, limits, result);
    int status = 0;
    while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    result.exit_code = exit_code_of(status);
    return result;
}

} // namespace omnistasis
