#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>
#include <csignal>

int main(int count, char** arguments) {
    std::signal(SIGPIPE, SIG_IGN); // as the program does; what gives input to others relies on it
    return Catch::Session().run(count, arguments);
}
