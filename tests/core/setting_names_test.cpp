#include "runtimes/python/setting_names.h"

#include <catch2/catch.hpp>

using namespace omnistasis::python;

namespace {

std::vector<std::string> names(std::string_view text) {
    std::vector<std::string> all;
    for (const StringAt& one : names_in_settings(text)) all.push_back(one.text);
    return all;
}

} // namespace

TEST_CASE("names of modules and classes in files of settings") {
    using Names = std::vector<std::string>;
    CHECK(names("handler: shop.models.Large\napps: [\"polls.apps.PollsConfig\", 'quay.tides']\n") ==
          Names{"shop.models.Large", "polls.apps.PollsConfig", "quay.tides"});
    CHECK(names("[server]\nentry=harbour.app:main\nSETTINGS=harbour.settings\n") ==
          Names{"harbour.app:main", "harbour.settings"});
    CHECK(names("version: 1.2.3\nurl: https://harbour.example/a.b\nmail: pilot@harbour.example\n"
                "file: ./charts/north.txt\nword: plain\nend: quay.\n") == Names{});
    CHECK(names("a: quay.tides\nb: quay.tides\n") == Names{"quay.tides"});
    auto at = names_in_settings("\n\nx: quay.tides");
    REQUIRE(at.size() == 1);
    CHECK(at[0].line == 3);
}

TEST_CASE("which files are of settings") {
    CHECK(is_settings_file("conf/app.yaml"));
    CHECK(is_settings_file(".env"));
    CHECK_FALSE(is_settings_file("charts.csv"));
}
