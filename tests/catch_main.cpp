// Catch2's own code, compiled once for all test programs.
#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>

/// What a test program does before its tests.
void prepare();

int main(int count, char** arguments) {
    prepare();
    return Catch::Session().run(count, arguments);
}
