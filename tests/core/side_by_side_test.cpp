// Parts of a command in processes of their own.
#include "cli/side_by_side.h"
#include "folder.h"

#include <catch2/catch.hpp>
#include <csignal>
#include <cstdio>
#include <functional>
#include <thread>
#include <unistd.h>

using namespace omnistasis;

namespace {

/// What is printed while `work` runs, standard output and error in one.
std::string printed(const test::Folder& folder, const std::function<void()>& work) {
    std::fflush(nullptr);
    int out = ::dup(STDOUT_FILENO), err = ::dup(STDERR_FILENO);
    std::FILE* file = std::fopen((folder / "printed").c_str(), "w");
    ::dup2(::fileno(file), STDOUT_FILENO);
    ::dup2(::fileno(file), STDERR_FILENO);
    work();
    std::fflush(nullptr);
    ::dup2(out, STDOUT_FILENO);
    ::dup2(err, STDERR_FILENO);
    for (int descriptor : {out, err}) ::close(descriptor);
    std::fclose(file);
    return read_text(folder / "printed").value();
}

} // namespace

TEST_CASE("what parts print comes whole, in their order, whichever ends first") {
    test::Folder folder;
    int code = -1, ended = 0;
    // The first waits for the second, where both are at work at once.
    int line[2];
    REQUIRE(::pipe(line) == 0);
    bool waits = std::thread::hardware_concurrency() > 1;
    std::string text = printed(folder, [&] {
        code = cli::run_side_by_side(
            5,
            [&](std::size_t number) {
                char byte = 0;
                bool heard = number != 0 || !waits || ::read(line[0], &byte, 1) == 1;
                std::printf("begin %zu\n", number);
                bool said = number != 1 || ::write(line[1], &byte, 1) == 1;
                std::printf("end %zu\n", number);
                std::fprintf(stderr, "remark %zu\n", number);
                return heard && said ? 0 : 1;
            },
            [&] { ++ended; });
    });
    std::string expected;
    for (const char* number : {"0", "1", "2", "3", "4"})
        expected += std::string("begin ") + number + "\nend " + number + "\nremark " + number + "\n";
    CHECK(text == expected);
    CHECK(code == 0);
    CHECK(ended == 5);
}

TEST_CASE("behind a part that fails nothing is said, and none goes on") {
    test::Folder folder;
    int code = -1;
    // As in the program, which holds these back from its start on; the tests' own handler stays out of it.
    sigset_t signals, before;
    sigemptyset(&signals);
    sigaddset(&signals, SIGTERM);
    REQUIRE(pthread_sigmask(SIG_BLOCK, &signals, &before) == 0);
    std::string text = printed(folder, [&] {
        code = cli::run_side_by_side(
            4,
            [](std::size_t number) {
                std::printf("%zu\n", number);
                std::fflush(stdout);
                if (number == 2) ::pause();
                return number == 1 ? 3 : 0;
            },
            [] {});
    });
    REQUIRE(pthread_sigmask(SIG_SETMASK, &before, nullptr) == 0);
    CHECK(code == 3);
    CHECK(text == "0\n1\n");
    // One that is killed did not do its work.
    CHECK(cli::run_side_by_side(
              1, [](std::size_t) { return ::raise(SIGKILL); }, [] {}) == 70);
}
