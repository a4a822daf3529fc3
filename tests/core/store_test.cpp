#include "support/store.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <sqlite3.h>
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

TEST_CASE("what was just kept is found before it is written, small and large, with its hash") {
    Folder folder;
    Store store(folder.path / "results");
    std::string large(Store::largest_inside + 1, 'x');
    Sha256 of_large = sha256(large);
    store.keep("small", "seven");
    store.keep("large", large);
    store.keep("known", large, &of_large);
    CHECK(store.find("small") == "seven");
    Sha256 hash{};
    CHECK(store.find("large", &hash) == large);
    CHECK(hash == of_large);
    hash = {};
    CHECK(store.find("known", &hash) == large);
    CHECK(hash == of_large);
    // The last that was kept counts, before it is written and after.
    store.keep("small", "eight");
    store.keep("large", "no longer");
    CHECK(store.find("small") == "eight");
    CHECK(store.find("large") == "no longer");
    store.flush();
    CHECK(store.find("small") == "eight");
    CHECK(store.find("large") == "no longer");
}

TEST_CASE("a large result whose file was changed or taken away is as good as none") {
    Folder folder;
    fs::path file = folder.path / "results";
    std::string large(Store::largest_inside * 2, 'x');
    {
        Store store(file);
        store.keep("changed", large + "1");
        store.keep("gone", large + "2");
        store.keep("whole", large + "3");
    }
    auto file_of = [&](const std::string& content) {
        for (const auto& entry : fs::recursive_directory_iterator(folder.path))
            if (entry.is_regular_file() && entry.file_size() >= large.size() &&
                *read_text(entry.path()) == content)
                return entry.path();
        return fs::path();
    };
    fs::path changed = file_of(large + "1"), gone = file_of(large + "2");
    REQUIRE(!changed.empty());
    REQUIRE(!gone.empty());
    fs::permissions(changed, fs::perms::owner_write, fs::perm_options::add);
    REQUIRE(write_atomically(changed, large + "!"));
    fs::remove(gone);
    Store store(file);
    Sha256 hash{};
    CHECK_FALSE(store.find("changed", &hash));
    CHECK_FALSE(store.find("gone"));
    CHECK(store.find("whole") == large + "3");
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

TEST_CASE("nobody waits long for another that does not end its writing") {
    Folder folder;
    fs::path file = folder.path / "results";
    { Store(file).keep("first", "1"); }
    sqlite3* other = nullptr;
    REQUIRE(sqlite3_open(file.c_str(), &other) == SQLITE_OK);
    REQUIRE(sqlite3_exec(other, "BEGIN IMMEDIATE", nullptr, nullptr, nullptr) == SQLITE_OK);
    {
        Store store(file);
        // Waiting for each would take longer than a test may.
        for (int i = 0; i < 400; ++i) store.keep(fmt::format("result {}", i), "2");
        store.flush();
        CHECK(store.find("first") == "1");
    }
    sqlite3_exec(other, "COMMIT", nullptr, nullptr, nullptr);
    sqlite3_close(other);
    Store store(file);
    CHECK_FALSE(store.find("result 1"));
    store.keep("later", "3");
    store.flush();
    CHECK(Store(file).find("later") == "3");
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

TEST_CASE("a flipped bit in the index makes a result as good as none, and no other one") {
    Folder folder;
    fs::path file = folder.path / "results";
    const std::string large(Store::largest_inside + 1, 't');
    auto fill = [&] {
        fs::remove_all(folder.path);
        fs::create_directories(folder.path);
        Store store(file);
        store.keep("depth", "seven metres");
        store.keep("chart", large);
    };
    auto flip = [&](const char* column, const char* key, std::size_t at) {
        sqlite3* database = nullptr;
        REQUIRE(sqlite3_open(file.c_str(), &database) == SQLITE_OK);
        std::string change = fmt::format(
            "UPDATE results SET {0} = CAST(substr({0}, 1, {1}) || x'07' || substr({0}, {1} + 2) AS BLOB) "
            "WHERE key = CAST('{2}' AS BLOB)",
            column, at, key);
        CHECK(sqlite3_exec(database, change.c_str(), nullptr, nullptr, nullptr) == SQLITE_OK);
        CHECK(sqlite3_changes(database) == 1);
        sqlite3_close(database);
    };
    for (std::size_t at : {0u, 31u, 32u, 43u}) {
        fill();
        flip("value", "depth", at);
        Store store(file);
        INFO(at);
        CHECK_FALSE(store.find("depth"));
        CHECK(store.find("chart") == large);
    }
    for (const char* column : {"value", "object"}) {
        fill();
        flip(column, "chart", 5);
        Store store(file);
        CHECK_FALSE(store.find("chart"));
        CHECK(store.find("depth") == "seven metres");
    }
    fill();
    // Under another key it is not what was kept there.
    flip("key", "depth", 0);
    CHECK_FALSE(Store(file).find("\x07"
                                 "epth"));
}
