#include "support/store.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <thread>
#include <unistd.h>

using namespace omnistasis;

namespace {

struct Folder {
    fs::path path = fs::temp_directory_path() / fmt::format("omnistasis store {}", ::getpid());
    Folder() { fs::create_directories(path); }
    ~Folder() { fs::remove_all(path); }
};

} // namespace

TEST_CASE("results are kept from one store to the next") {
    Folder folder;
    fs::path file = folder.path / "results";
    {
        Store store(file);
        CHECK_FALSE(store.find("depth"));
        store.keep("depth", std::string("seven\0m", 7));
        store.keep("empty", "");
        store.flush();
        CHECK(store.find("depth") == std::string("seven\0m", 7));
    }
    Store again(file);
    CHECK(again.find("depth") == std::string("seven\0m", 7));
    CHECK(again.find("empty") == "");
    again.keep("depth", "eight");
    again.flush();
    CHECK(again.find("depth") == "eight");
}

TEST_CASE("a damaged store is made anew") {
    Folder folder;
    fs::path file = folder.path / "results";
    REQUIRE(write_atomically(file, std::string(5000, 'x')));
    {
        Store store(file);
        CHECK_FALSE(store.find("depth"));
        store.keep("depth", "seven");
    }
    CHECK(Store(file).find("depth") == "seven");
}

TEST_CASE("a store that can't be written is an empty one") {
    for (const fs::path& file : {fs::path(), fs::path("/proc/nowhere/results")}) {
        Store store(file);
        store.keep("depth", "seven");
        store.flush();
        CHECK_FALSE(store.find("depth"));
    }
}

TEST_CASE("many threads and two processes' worth of stores share a file") {
    Folder folder;
    fs::path file = folder.path / "results";
    Store one(file), two(file);
    std::vector<std::thread> threads;
    for (int t = 0; t < 4; ++t)
        threads.emplace_back([&, t] {
            Store& store = t % 2 == 0 ? one : two;
            for (int i = 0; i < 200; ++i) store.keep(fmt::format("{} {}", t, i), fmt::format("value {}", i));
            store.flush();
        });
    for (std::thread& thread : threads) thread.join();
    for (int t = 0; t < 4; ++t) CHECK(one.find(fmt::format("{} 199", t)) == "value 199");
}

TEST_CASE("large results are files, a damaged one is as good as none, beyond the bound the oldest go") {
    Folder folder;
    fs::path file = folder.path / "results";
    std::string large(200'000, 'x');
    {
        Store store(file, 1'000'000);
        store.keep("large", large);
        store.keep("the same", large);
        store.flush();
        CHECK(store.find("large") == large);
    }
    auto objects = [&] {
        std::vector<fs::path> found;
        each_entry_below(folder.path / "objects", [&](const fs::directory_entry& entry) {
            if (entry.is_regular_file()) found.push_back(entry.path());
        });
        return found;
    };
    REQUIRE(objects().size() == 1);
    fs::resize_file(objects()[0], 1000);
    Store store(file, 1'000'000);
    CHECK_FALSE(store.find("large"));
    store.keep("large", large);
    store.flush();
    CHECK(store.find("the same") == large);
    for (int i = 0; i < 8; ++i)
        store.keep(std::string(1, static_cast<char>('a' + i)), large + std::to_string(i));
    store.flush();
    CHECK_FALSE(store.find("large"));
    CHECK_FALSE(store.find("the same"));
    CHECK(store.find("h") == large + "7");
    CHECK(objects().size() <= 4);
}
