// Work on a file's content that is done once for as long as the file is the same.
#include "folder.h"
#include "support/kept_of_file.h"

#include <chrono>

using namespace omnistasis;
using omnistasis::test::Folder;

namespace {

struct Lines {
    std::uint64_t count = 0;
    std::string first;
};

/// Counts how often the content was looked at.
struct Counting {
    Store& store;
    int made = 0;

    std::optional<Lines> of(const std::string& file, const std::string& work = "lines") {
        auto make = [this](ByteSpan content) {
            ++made;
            std::string_view text(reinterpret_cast<const char*>(content.data()), content.size());
            return Lines{static_cast<std::uint64_t>(std::ranges::count(text, '\n')),
                         std::string(text.substr(0, text.find('\n')))};
        };
        auto visit = [](auto& archive, auto& lines) {
            archive.value(lines.count);
            archive.value(lines.first);
        };
        return kept_of_file(file, work, store, make, visit);
    }
};

/// As if it had been written an hour ago.
void age(const std::string& file) {
    fs::last_write_time(file, fs::file_time_type::clock::now() - std::chrono::hours(1));
}

} // namespace

TEST_CASE("what is made of a file that has settled is made once, and again when the file is another") {
    Folder folder;
    Store store(folder / "store");
    Counting counting{store};
    // Long there, whatever this machine's clock is about to do.
    const std::string settled = "/usr/share/common-licenses/GPL-3";
    auto first = counting.of(settled);
    REQUIRE(first);
    CHECK(first->count > 500);
    CHECK(counting.made == 1);
    auto again = counting.of(settled);
    REQUIRE(again);
    CHECK(again->count == first->count);
    CHECK(again->first == first->first);
    CHECK(counting.made == 1);
    // Other work on the same file.
    CHECK(counting.of(settled, "other lines"));
    CHECK(counting.made == 2);
    store.flush();
    Store later(folder / "store");
    Counting afterwards{later};
    CHECK(afterwards.of(settled)->count == first->count);
    CHECK(afterwards.made == 0);
}

TEST_CASE("what is made of a file that may still change is not kept") {
    Folder folder;
    Store store(folder / "store");
    Counting counting{store};
    std::string file = folder.write("tides", "high\nlow\n");
    CHECK(counting.of(file)->count == 2);
    CHECK(counting.of(file)->count == 2);
    CHECK(counting.made == 2);
    // A change within the clock's grain, of the same size.
    folder.write("tides", "high low\n");
    CHECK(counting.of(file)->count == 1);
    // An old time alone does not settle it: the system's own note of the last change is new.
    age(file);
    CHECK(counting.of(file)->count == 1);
    CHECK(counting.made == 4);
}

TEST_CASE("a file that is not there, a folder and a damaged result give nothing, or are made anew") {
    Folder folder;
    Store store(folder / "store");
    Counting counting{store};
    CHECK_FALSE(counting.of(folder / "none"));
    CHECK_FALSE(counting.of(folder.path().string()));
    CHECK(counting.made == 0);
    const std::string settled = "/usr/share/common-licenses/BSD";
    auto right = counting.of(settled);
    REQUIRE(right);
    store.keep(Store::key_of(std::string("lines") + '\0' + file_stamp(settled) + ' ' + settled), "\xff\xff");
    CHECK(counting.of(settled)->count == right->count);
    CHECK(counting.made == 2);
}
