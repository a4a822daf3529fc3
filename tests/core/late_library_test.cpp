// A library that is loaded late says why it can't be used.
#include "support/late_library.h"

#include <catch2/catch.hpp>

using omnistasis::LateLibrary;

TEST_CASE("functions of a library that is loaded late are there, or it says which is not") {
    double (*cosine)(double) = nullptr;
    LateLibrary late("libm.so.6");
    REQUIRE(late.is_loaded());
    late.find(cosine, "cos");
    CHECK(late.why().empty());
    REQUIRE(cosine != nullptr);
    CHECK(cosine(0) == 1);
    late.find(cosine, "tide_at");
    CHECK(cosine == nullptr);
    late.find(cosine, "berth_of");
    CHECK(late.why() == "it has no function tide_at"); // the first one
}

TEST_CASE("a library that is not there gives no function") {
    double (*cosine)(double) = nullptr;
    LateLibrary late("/nowhere/libtide.so");
    CHECK_FALSE(late.is_loaded());
    late.find(cosine, "cos");
    CHECK(cosine == nullptr);
    CHECK(late.why().find("/nowhere/libtide.so") != std::string::npos);
}
