#include "support/near_match.h"
#include "support/pattern.h"

#include <catch2/catch.hpp>

using namespace omnistasis;

TEST_CASE("patterns of names") {
    CHECK(fits_pattern("tideboard.feeds.calm", "tideboard.feeds.*"));
    CHECK(fits_pattern("libnss_files.so.2", "libnss_*.so.2"));
    CHECK_FALSE(fits_pattern("libc.so.6", "libc.so"));
    CHECK(fits_pattern("ab", "a?"));
}

TEST_CASE("patterns of paths stay within a folder, unless they are deep") {
    CHECK(fits_pattern("charts/a.png", "charts/*.png", '/'));
    CHECK_FALSE(fits_pattern("charts/x/a.png", "charts/*.png", '/'));
    CHECK(fits_pattern("charts/x/y/a.png", "charts/**", '/'));
    CHECK(fits_pattern("charts/a.png", "charts/**/*.png", '/'));
    CHECK(fits_pattern("charts/x/y/a.png", "charts/**/*.png", '/'));
    CHECK(fits_pattern("a.png", "**/*.png", '/'));
}

TEST_CASE("near matches, nearest first") {
    CHECK(near_matches("enrty", {"icon", "entry", "mode"}) == std::vector<std::string>{"entry"});
    CHECK(near_matches("zzz", {"entry"}).empty());
}
