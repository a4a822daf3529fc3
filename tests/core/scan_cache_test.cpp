#include "runtimes/python/scan_cache.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using namespace omnistasis::python;

namespace {

ScanResult sample() {
    return scan(
        "import a.b\nfrom . import c\ntry:\n    import x\nexcept ImportError:\n    import y\n"
        "n = 'deep/file.txt'\nopen('charts/x.txt')\n__import__(n + q)\nimport_module(f'{n}.base')\n"
        "s = 'pkg.mod:Class'\nt = '/usr/share/harbour/x'\nversion('tide')\n'x'.encode('koi8-r')\n"
        "entry_points(group='harbour.feeds')\nprint(__file__, sys.executable, sys.modules)\nos.chdir('/')\n"
        "inspect.getsource(f)\n",
        "harbour.tide", "harbour", {});
}

} // namespace

TEST_CASE("a scan's result comes back from the store as it was") {
    ScanResult result = sample();
    REQUIRE(result.requests.size() > 5);
    REQUIRE(result.asks_for_source == 18);
    std::string bytes = stored_form(result);
    auto back = from_stored_form(bytes);
    REQUIRE(back);
    CHECK(stored_form(*back) == bytes);
    CHECK(back->requests.size() == result.requests.size());
    CHECK(back->requests[3].module == "y");
    CHECK(back->requests[3].instead_of_last == result.requests[3].instead_of_last);
    CHECK(back->opened_paths.at(0).text == "charts/x.txt");
    CHECK(back->changes_folder);
    CHECK(back->names_own_file);
}

TEST_CASE("what is no scan's result is refused, at whatever byte it is cut or changed") {
    std::string bytes = stored_form(sample());
    for (std::size_t size = 0; size < bytes.size(); ++size)
        CHECK_FALSE(from_stored_form(bytes.substr(0, size)));
    CHECK_FALSE(from_stored_form(bytes + '\0'));
    for (std::size_t at = 0; at < bytes.size(); ++at) {
        std::string changed = bytes;
        changed[at] = '\xff';
        from_stored_form(changed); // anything but a crash or endless memory
    }
    CHECK_FALSE(from_stored_form(std::string(40, '\xff')));
}
