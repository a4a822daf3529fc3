#include "support/store.h"

#include "support/hash.h"
#include "support/user_cache.h"

#include <ctime>
#include <sqlite3.h>

namespace omnistasis {

namespace {

// With rows of their own beside the index of keys: an index that held the values would read all of a large
// one for each comparison of keys.
constexpr const char* layout =
    "CREATE TABLE IF NOT EXISTS results (key BLOB PRIMARY KEY, day INTEGER, value BLOB)";

/// A prepared statement for one use.
class Statement {
  public:
    Statement(sqlite3* database, const char* text) {
        sqlite3_prepare_v2(database, text, -1, &statement_, nullptr);
    }
    ~Statement() { sqlite3_finalize(statement_); }
    Statement(const Statement&) = delete;
    Statement& operator=(const Statement&) = delete;

    void bind(int place, std::string_view bytes) {
        sqlite3_bind_blob64(statement_, place, bytes.data(), bytes.size(), SQLITE_STATIC);
    }
    void bind(int place, std::int64_t number) { sqlite3_bind_int64(statement_, place, number); }
    bool step() { return sqlite3_step(statement_) == SQLITE_ROW; }
    std::int64_t number(int column) { return sqlite3_column_int64(statement_, column); }
    void reset() { sqlite3_reset(statement_); }

  private:
    sqlite3_stmt* statement_ = nullptr;
};

} // namespace

std::unique_ptr<Store> Store::open_users() {
    fs::path folder = user_cache_folder("store");
    return std::make_unique<Store>(folder.empty() ? fs::path() : folder / "results.sqlite");
}

Store::Store(const fs::path& file) : today_(std::time(nullptr) / 86400) {
    if (file.empty() || open(file)) return;
    // Damaged: what is not there can be worked out again.
    close();
    std::error_code ignored;
    for (const char* ending : {"", "-wal", "-shm"}) fs::remove(file.string() + ending, ignored);
    if (!open(file)) close();
}

Store::~Store() {
    flush();
    close();
}

bool Store::open(const fs::path& file) {
    if (sqlite3_open(file.c_str(), &database_) != SQLITE_OK) return false;
    sqlite3_busy_timeout(database_, 2000);
    for (const char* text :
         {"PRAGMA journal_mode=WAL", "PRAGMA synchronous=OFF", "PRAGMA mmap_size=1073741824", layout,
          // One look at what others wrote, for all that is asked: two system calls less for each.
          "BEGIN"})
        if (sqlite3_exec(database_, text, nullptr, nullptr, nullptr) != SQLITE_OK) return false;
    return sqlite3_prepare_v2(database_, "SELECT value, day FROM results WHERE key = ?", -1, &find_,
                              nullptr) == SQLITE_OK;
}

void Store::close() {
    sqlite3_finalize(find_);
    sqlite3_close(database_);
    find_ = nullptr;
    database_ = nullptr;
}

std::string Store::key_of(std::string_view subject) {
    Sha256 digest = sha256(subject);
    return std::string(reinterpret_cast<const char*>(digest.data()), 16);
}

std::optional<std::string> Store::find(std::string_view key) {
    std::lock_guard lock(mutex_);
    if (find_ == nullptr) return std::nullopt;
    sqlite3_bind_blob64(find_, 1, key.data(), key.size(), SQLITE_STATIC);
    std::optional<std::string> value;
    if (sqlite3_step(find_) == SQLITE_ROW) {
        const auto* bytes = static_cast<const char*>(sqlite3_column_blob(find_, 0));
        auto size = static_cast<std::size_t>(sqlite3_column_bytes(find_, 0));
        value.emplace(bytes == nullptr ? "" : bytes, size);
        if (sqlite3_column_int64(find_, 1) != today_) old_.emplace_back(key);
    }
    sqlite3_reset(find_);
    return value;
}

void Store::keep(std::string_view key, std::string value) {
    std::lock_guard lock(mutex_);
    if (find_ != nullptr) kept_.emplace_back(key, std::move(value));
}

void Store::flush() {
    std::lock_guard lock(mutex_);
    if (find_ == nullptr || (kept_.empty() && old_.empty())) return;
    sqlite3_exec(database_, "COMMIT; BEGIN IMMEDIATE", nullptr, nullptr, nullptr);
    {
        Statement insert(database_, "INSERT OR REPLACE INTO results VALUES (?, ?, ?)");
        for (const auto& [key, value] : kept_) {
            insert.bind(1, key);
            insert.bind(2, today_);
            insert.bind(3, value);
            insert.step();
            insert.reset();
        }
        Statement touch(database_, "UPDATE results SET day = ? WHERE key = ?");
        for (const std::string& key : old_) {
            touch.bind(1, today_);
            touch.bind(2, key);
            touch.step();
            touch.reset();
        }
        Statement size(database_,
                       "SELECT page_count * page_size FROM pragma_page_count(), pragma_page_size()");
        bool too_large = size.step() && static_cast<std::uint64_t>(size.number(0)) > most_bytes;
        size.reset();
        // The older half of the days goes; the space is used again.
        if (too_large)
            sqlite3_exec(
                database_,
                "DELETE FROM results WHERE day <= (SELECT day FROM results ORDER BY day LIMIT 1 OFFSET "
                "(SELECT count(*) / 2 FROM results)) AND day < (SELECT max(day) FROM results)",
                nullptr, nullptr, nullptr);
    }
    sqlite3_exec(database_, "COMMIT; BEGIN", nullptr, nullptr, nullptr);
    kept_.clear();
    old_.clear();
}

} // namespace omnistasis
