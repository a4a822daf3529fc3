#include "runtimes/python/version_condition.h"

#include <catch2/catch.hpp>

using namespace omnistasis::python;

TEST_CASE("versions are compared by their numbers") {
    CHECK(compare_versions("1.10", "1.9") > 0);
    CHECK(compare_versions("2", "2.0.0") == 0);
    CHECK(compare_versions("1.24.2", "1.24.10") < 0);
    CHECK(compare_versions("2.0rc1", "2.0") < 0);
    CHECK(compare_versions("2.0.dev3", "2.0") < 0);
    CHECK(compare_versions("2.0.post1", "2.0") > 0);
    CHECK(compare_versions("2.0+harbour", "2.0") == 0);
    CHECK(compare_versions("", "0") == 0);
    CHECK(compare_versions("x", "1") < 0);
}

TEST_CASE("conditions on versions") {
    CHECK(meets_version_condition("1.24.2", ">=1.20,<2"));
    CHECK(meets_version_condition("1.24.2", ">= 1.20 , < 2"));
    CHECK_FALSE(meets_version_condition("2.0", ">=1.20,<2"));
    CHECK(meets_version_condition("2.0rc1", "<2"));
    CHECK(meets_version_condition("1.0", "==1"));
    CHECK_FALSE(meets_version_condition("1.0", "!=1.0.0"));
    CHECK(meets_version_condition("3", ">2"));
    CHECK(meets_version_condition("2", "<=2.0"));
    for (const char* wrong : {"", "1.0", ">=", ">=x", ">1,", "~1", ">1;<2"})
        CHECK_FALSE(is_version_condition(wrong));
}
