// Where outputs are put: nothing is replaced that Omnistasis did not make.
#include "build/output_place.h"
#include "folder.h"

#include <thread>

using namespace omnistasis;
using omnistasis::build::OutputPlace;
using omnistasis::test::Folder;

namespace {

Result<void> put(const Folder& folder, const std::string& name, const std::string& content) {
    auto place = OutputPlace::prepare(folder.path() / "out", name);
    if (!place) return tl::make_unexpected(place.error());
    auto staging = StagingFolder::make(folder.path() / "out", name);
    if (!staging) return tl::make_unexpected(staging.error());
    if (auto written = write_atomically(staging->path() / name, content); !written) return written;
    return place->put(staging->path() / name);
}

} // namespace

TEST_CASE("what was made is replaced, what was not is named and left") {
    Folder folder;
    REQUIRE(put(folder, "tides", "old"));
    REQUIRE(put(folder, "tides", "new"));
    CHECK(read_text(folder / "out/tides") == "new");
    CHECK(OutputPlace::holds_outputs(folder.path() / "out"));
    folder.write("out/notes", "by hand");
    auto refused = put(folder, "notes", "ours");
    REQUIRE_FALSE(refused);
    CHECK(refused.error().where.find("notes") != std::string::npos);
    CHECK(read_text(folder / "out/notes") == "by hand");
    // Nothing is left of the attempt.
    std::size_t count = 0;
    for (const auto& entry : fs::directory_iterator(folder.path() / "out"))
        count += entry.path().filename() != ".omnistasis-outputs";
    CHECK(count == 2);
    Folder other;
    other.write("out", "a file");
    CHECK_FALSE(put(other, "tides", "new"));
}

TEST_CASE("outputs that are put into one folder at once are all known afterwards") {
    Folder folder;
    std::vector<std::thread> threads;
    std::atomic<int> failed = 0;
    for (int t = 0; t < 4; ++t)
        threads.emplace_back([&, t] {
            for (int i = 0; i < 25; ++i)
                if (!put(folder, fmt::format("output {} {}", t, i), "x")) ++failed;
        });
    for (std::thread& thread : threads) thread.join();
    CHECK(failed == 0);
    for (int t = 0; t < 4; ++t)
        for (int i = 0; i < 25; ++i) {
            INFO(t << " " << i);
            CHECK(put(folder, fmt::format("output {} {}", t, i), "again"));
        }
}
