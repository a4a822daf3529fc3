#include "watch/start_profile.h"

#include "support/files.h"

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <csignal>
#include <cstring>
#include <ctime>
#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <set>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

namespace omnistasis::watch {

namespace {

constexpr std::size_t cold_runs = 3;

std::int64_t now() {
    timespec time{};
    ::clock_gettime(CLOCK_MONOTONIC, &time);
    return static_cast<std::int64_t>(time.tv_sec) * 1'000'000'000 + time.tv_nsec;
}

double quantile(std::vector<double> values, double at) {
    if (values.empty()) return 0;
    std::ranges::sort(values);
    double place = at * static_cast<double>(values.size() - 1);
    auto below = static_cast<std::size_t>(place);
    std::size_t above = std::min(below + 1, values.size() - 1);
    double part = place - static_cast<double>(below);
    return values[below] * (1 - part) + values[above] * part;
}

/// One finished run.
struct Run {
    std::int64_t begin = 0;
    double milliseconds = 0;
    int process = 0;
    std::string times; ///< what was told of it
};

class Profiler {
  public:
    Profiler(const ProfileSubject& subject, Observer& observer, const fs::path& folder)
        : subject_(subject), observer_(observer), folder_(folder) {}

    Result<StartProfile> profile() {
        StartProfile result;
        std::vector<std::string> command{subject_.executable.string()};
        command.insert(command.end(), subject_.arguments.begin(), subject_.arguments.end());
        observer_.step("measuring", cold_runs + 2 * subject_.runs);
        Run run;
        for (std::size_t i = 0; i < cold_runs; ++i) {
            if (auto done = forget(); !done) return pass_on(done);
            if (auto done = measure(command, fs::current_path(), i == 0, result.cold, run); !done)
                return pass_on(done);
            if (i == 0) result.cold_timeline = timeline_of(run, true);
            observer_.advance(1);
        }
        // What is told of a run takes its time too: these runs are not counted.
        result.cold.milliseconds.erase(result.cold.milliseconds.begin());
        for (std::size_t i = 0; i <= subject_.runs; ++i) {
            bool told = i == subject_.runs;
            if (auto done = measure(command, fs::current_path(), told, result.warm, run); !done)
                return pass_on(done);
            if (told) {
                result.warm_timeline = timeline_of(run, false);
                result.warm.milliseconds.pop_back();
            } else if (!subject_.source_command.empty()) {
                if (auto done =
                        measure(subject_.source_command, subject_.source_folder, false, result.source, run);
                    !done)
                    return pass_on(done);
            }
            observer_.advance(2);
        }
        return result;
    }

  private:
    Result<void> forget() {
        std::error_code failed;
        for (const char* name : {"cache", "data"}) {
            fs::remove_all(folder_ / name, failed);
            fs::create_directories(folder_ / name, failed);
        }
        return {};
    }

    Result<void> measure(const std::vector<std::string>& command, const fs::path& folder, bool told,
                         Measured& into, Run& run) {
        fs::path times = folder_ / "times";
        std::error_code ignored;
        fs::remove(times, ignored);
        if (told)
            if (auto made = write_new(times, {}, 0600); !made) return made;
        std::vector<std::string> variables;
        for (char** variable = ::environ; *variable != nullptr; ++variable) {
            std::string_view text = *variable;
            bool ours = text.starts_with("XDG_CACHE_HOME=") || text.starts_with("XDG_DATA_HOME=") ||
                        text.starts_with("OMNISTASIS_TIMES=") || text.starts_with("OMNISTASIS_CACHE=");
            if (!ours) variables.emplace_back(text);
        }
        variables.push_back("XDG_CACHE_HOME=" + (folder_ / "cache").string());
        variables.push_back("XDG_DATA_HOME=" + (folder_ / "data").string());
        if (told) variables.push_back("OMNISTASIS_TIMES=" + times.string());
        std::vector<char*> arguments, environment;
        for (const std::string& one : command) arguments.push_back(const_cast<char*>(one.c_str()));
        for (std::string& one : variables) environment.push_back(one.data());
        arguments.push_back(nullptr);
        environment.push_back(nullptr);
        run.begin = now();
        int process = ::fork();
        if (process == 0) {
            int nothing = ::open("/dev/null", O_RDWR);
            for (int descriptor : {0, 1, 2}) ::dup2(nothing, descriptor);
            ::setpgid(0, 0);
            if (::chdir(folder.c_str()) == 0) ::execvpe(arguments[0], arguments.data(), environment.data());
            ::_exit(127);
        }
        if (process < 0)
            return fail(ErrorKind::missing, "can't start a process", command[0], system_text(errno));
        int handle = static_cast<int>(::syscall(SYS_pidfd_open, process, 0));
        pollfd waits{handle, POLLIN, 0};
        bool ended = handle < 0 || ::poll(&waits, 1, static_cast<int>(subject_.seconds * 1000)) > 0;
        if (handle >= 0) ::close(handle);
        if (!ended) ::kill(-process, SIGKILL);
        int status = 0;
        rusage used{};
        while (::wait4(process, &status, 0, &used) < 0 && errno == EINTR) {
        }
        run.milliseconds = static_cast<double>(now() - run.begin) / 1e6;
        run.process = process;
        if (!ended)
            return fail(
                ErrorKind::refused, "a run does not end", command[0],
                fmt::format("it was ended after {:.0f} s", subject_.seconds),
                "name arguments behind -- with which the application ends by itself, or set --seconds");
        into.exit_code = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
        if (into.exit_code == 127)
            return fail(ErrorKind::missing, "a run could not be started", command[0], "exit code 127");
        into.milliseconds.push_back(run.milliseconds);
        into.largest_memory =
            std::max(into.largest_memory, static_cast<std::uint64_t>(used.ru_maxrss) * 1024);
        run.times.clear();
        if (told)
            if (auto text = read_text(times)) run.times = std::move(*text);
        return {};
    }

    static std::vector<TimeBar> timeline_of(const Run& run, bool cold) {
        std::vector<TimeBar> bars;
        std::map<std::string, double> marks;
        auto milliseconds = [&](std::string_view number) {
            std::int64_t value = 0;
            std::from_chars(number.data(), number.data() + number.size(), value);
            return static_cast<double>(value - run.begin) / 1e6;
        };
        std::string_view text = run.times;
        std::string process = std::to_string(run.process);
        while (!text.empty()) {
            std::size_t end = std::min(text.find('\n'), text.size());
            std::string_view line = text.substr(0, end);
            text.remove_prefix(std::min(end + 1, text.size()));
            std::vector<std::string_view> fields;
            for (std::size_t at = 0; at <= line.size();) {
                std::size_t tab = std::min(line.find('\t', at), line.size());
                fields.push_back(line.substr(at, tab - at));
                at = tab + 1;
            }
            // Processes that it starts itself tell of themselves, too.
            if (fields.size() < 4 || fields[2] != process) continue;
            if (fields[0] == "import" && fields.size() >= 6) {
                int depth = 0;
                std::from_chars(fields[5].data(), fields[5].data() + fields[5].size(), depth);
                bars.push_back({std::string(fields[1]), BarKind::import, milliseconds(fields[3]),
                                milliseconds(fields[4]), depth, 0});
            } else {
                marks.emplace(fields[0], milliseconds(fields[3]));
            }
        }
        double end = marks.contains("end") ? marks["end"] : run.milliseconds;
        std::vector<TimeBar> all;
        auto add = [&](const char* name, BarKind kind, double from, double to) {
            if (to > from) all.push_back({name, kind, from, to, 0, to - from});
        };
        if (!marks.contains("launcher")) return bars;
        double program = marks.contains("program") ? marks["program"] : end;
        double tree = marks.contains("tree") ? marks["tree"] : program;
        double main = marks.contains("main") ? marks["main"] : end;
        add("start of the process", BarKind::launcher, 0, marks["launcher"]);
        add(cold ? "unpacking and checking" : "checking", cold ? BarKind::unpack : BarKind::launcher,
            marks["launcher"], tree);
        add("launcher", BarKind::launcher, tree, program);
        add("runtime", BarKind::runtime, program, main);
        add("the application", BarKind::run, main, end);
        add("end of the process", BarKind::launcher, end, run.milliseconds);
        // Depth in the picture is what they are nested in, in fact: they begin in order.
        std::ranges::stable_sort(bars, [](const TimeBar& one, const TimeBar& other) {
            return one.from != other.from ? one.from < other.from : one.to > other.to;
        });
        std::vector<std::size_t> open;
        for (TimeBar& bar : bars) {
            bar.own = bar.to - bar.from;
            bar.depth = bar.depth + 1;
            all.push_back(bar);
        }
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (all[i].kind != BarKind::import) continue;
            while (!open.empty() && all[open.back()].to <= all[i].from) open.pop_back();
            all[i].depth = static_cast<int>(open.size()) + 1;
            if (!open.empty()) all[open.back()].own -= all[i].to - all[i].from;
            open.push_back(i);
        }
        return all;
    }

    const ProfileSubject& subject_;
    Observer& observer_;
    fs::path folder_;
};

} // namespace

double Measured::median() const { return quantile(milliseconds, 0.5); }
double Measured::low() const { return quantile(milliseconds, 0.25); }
double Measured::high() const { return quantile(milliseconds, 0.75); }

Result<StartProfile> profile_start(const ProfileSubject& subject, Observer& observer) {
    auto folder = StagingFolder::make(fs::temp_directory_path(), "omnistasis-profile");
    if (!folder) return pass_on(folder);
    return Profiler(subject, observer, folder->path()).profile();
}

} // namespace omnistasis::watch
