#pragma once

#include "support/files.h"
#include "support/hash.h"
#include "support/shared_store.h"

#include <atomic>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <utility>
#include <vector>

struct sqlite3;
struct sqlite3_stmt;

namespace omnistasis {

/// Results of work that is the same again and again, kept in the user's cache folder by a key that says all
/// that they depend on (SQLite, so that processes share it and a crash leaves it whole; what is large is in
/// files of its own beside it, named by their hash). Safe to use from many threads. It is a cache: where it
/// can't be read or written it is empty, and nothing fails; a damaged one is made anew, a damaged file is as
/// good as none. Beyond its bound the results that were not used for the longest time go.
class Store {
  public:
    static constexpr std::uint64_t default_bound = 2ull << 30; ///< bytes
    static constexpr std::size_t largest_inside = 32u << 10;   ///< more is a file of its own

    /// Opens `<cache>/omnistasis/store/index.sqlite`.
    static std::shared_ptr<Store> open_users();
    explicit Store(const fs::path& file, std::uint64_t bound = default_bound,
                   std::unique_ptr<SharedStore> shared = nullptr);
    ~Store();
    Store(const Store&) = delete;
    Store& operator=(const Store&) = delete;

    /// The key for a text that says all that a result depends on: 16 bytes of its SHA-256.
    static std::string key_of(std::string_view subject);

    /// With its SHA-256 in `hash`, if that is wanted: of large results it is known.
    std::optional<std::string> find(std::string_view key, Sha256* hash = nullptr);

    /// Remembers a result, with its SHA-256 where that is known; it is written by `flush`, or at the end.
    void keep(std::string_view key, std::string value, const Sha256* hash = nullptr);

    /// The same for results that depend on contents alone, so that they hold on other machines too: a team's
    /// store is asked for what is not here, and gets what is kept. `is_right` checks a result that came from
    /// there without proof of its origin; without it such results are not asked for.
    using Check = std::function<bool(std::string_view)>;
    std::optional<std::string> find_shared(std::string_view key, const Check& is_right = {},
                                           Sha256* hash = nullptr);
    void keep_shared(std::string_view key, std::string value, const Sha256* hash = nullptr);

    /// Writes what was kept, and when what was found was used.
    void flush();

    /// Why the team's store is not used; empty where it is, or where there is none.
    std::string shared_trouble() const { return shared_ ? shared_->trouble() : std::string(); }
    /// How many results came from there.
    std::size_t shared_hits() const { return shared_hits_; }

  private:
    /// A result that is not written yet.
    struct Kept {
        std::string key;
        std::string value;  ///< empty where it is a file
        std::string object; ///< the file's hash; empty where it is inside
        std::uint64_t size = 0;
    };

    bool open(const fs::path& file);
    void close();
    void shrink();
    fs::path object_file(std::string_view hash) const;
    std::optional<std::string> read_object(std::string_view name, Sha256* hash) const;
    bool write_object(const std::string& hash, std::string_view value) const;

    std::unique_ptr<SharedStore> shared_;
    std::atomic<std::size_t> shared_hits_ = 0;
    std::mutex mutex_;
    sqlite3* database_ = nullptr;
    sqlite3_stmt* find_ = nullptr;
    bool is_empty_ = false; ///< as far as this one sees
    bool is_held_ = false;  ///< by another that does not end its writing: nothing is written any more
    fs::path objects_;      ///< the folder of files
    std::uint64_t bound_;
    std::vector<Kept> kept_;
    std::unordered_map<std::string, std::size_t> kept_at_; ///< in `kept_`, by key
    std::vector<std::string> old_; ///< keys that were found and have not been used for a day
    std::int64_t today_ = 0;       ///< days since the epoch
};

} // namespace omnistasis
