#pragma once

#include "support/files.h"

#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

struct sqlite3;
struct sqlite3_stmt;

namespace omnistasis {

/// Results of work that is the same again and again, kept in the user's cache folder by a key that says all
/// that they depend on (SQLite, so that processes share it and a crash leaves it whole). Safe to use from
/// many threads. It is a cache: where it can't be read or written it is empty, and nothing fails; a damaged
/// one is made anew. Beyond `most_bytes` the results that were not used for the longest time go.
class Store {
  public:
    static constexpr std::uint64_t most_bytes = 512u << 20;

    /// Opens `<cache>/omnistasis/store/results.sqlite`.
    static std::unique_ptr<Store> open_users();
    explicit Store(const fs::path& file);
    ~Store();
    Store(const Store&) = delete;
    Store& operator=(const Store&) = delete;

    /// The key for a text that says all that a result depends on: 16 bytes of its SHA-256.
    static std::string key_of(std::string_view subject);

    std::optional<std::string> find(std::string_view key);

    /// Remembers a result; it is written by `flush`, or at the end.
    void keep(std::string_view key, std::string value);

    /// Writes what was kept, and when what was found was used.
    void flush();

  private:
    bool open(const fs::path& file);
    void close();

    std::mutex mutex_;
    sqlite3* database_ = nullptr;
    sqlite3_stmt* find_ = nullptr;
    std::vector<std::pair<std::string, std::string>> kept_;
    std::vector<std::string> old_; ///< keys that were found and have not been used for a day
    std::int64_t today_ = 0;       ///< days since the epoch
};

} // namespace omnistasis
