#include "support/store.h"

#include "support/hash.h"
#include "support/user_cache.h"

#include <algorithm>
#include <ctime>
#include <sqlite3.h>

namespace omnistasis {

namespace {

// With rows of their own beside the index of keys: an index that held the values would read all of a large
// one for each comparison of keys.
constexpr const char* layout = "CREATE TABLE IF NOT EXISTS results "
                               "(key BLOB PRIMARY KEY, day INTEGER, size INTEGER, object BLOB, value BLOB)";

std::string bytes_of(sqlite3_stmt* statement, int column) {
    const auto* bytes = static_cast<const char*>(sqlite3_column_blob(statement, column));
    return bytes == nullptr
               ? std::string()
               : std::string(bytes, static_cast<std::size_t>(sqlite3_column_bytes(statement, column)));
}

/// Stands in front of a value in the index: of key, value and file together. One flipped bit in any of them,
/// and the result is as good as none.
constexpr std::size_t check_size = 32;
constexpr int most_wait = 10000; // milliseconds, for others that write

std::string check_of(std::string_view key, std::string_view value, std::string_view object) {
    std::string all;
    all.reserve(key.size() + value.size() + object.size() + 1);
    all += key;
    all += object;
    all += static_cast<char>(object.size()); // a file's hash has the size that it has, or is not there
    all += value;
    return damage_check(as_bytes(all));
}

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
    std::string bytes(int column) { return bytes_of(statement_, column); }
    std::int64_t number(int column) { return sqlite3_column_int64(statement_, column); }
    void reset() { sqlite3_reset(statement_); }

  private:
    sqlite3_stmt* statement_ = nullptr;
};

} // namespace

std::shared_ptr<Store> Store::open_users() {
    fs::path folder = user_cache_folder("store");
    return std::make_shared<Store>(folder.empty() ? fs::path() : folder / "index.sqlite", default_bound,
                                   SharedStore::open_users());
}

Store::Store(const fs::path& file, std::uint64_t bound, std::unique_ptr<SharedStore> shared)
    : shared_(std::move(shared)), objects_(file.parent_path() / "objects"), bound_(bound),
      today_(std::time(nullptr) / 86400) {
    if (file.empty() || open(file)) return;
    // Damaged: what is not there can be worked out again.
    close();
    std::error_code ignored;
    for (const char* ending : {"", "-wal", "-shm"}) fs::remove(file.string() + ending, ignored);
    if (!open(file)) close();
}

Store::~Store() {
    flush();
    if (shared_) shared_->finish();
    close();
}

bool Store::open(const fs::path& file) {
    if (sqlite3_open(file.c_str(), &database_) != SQLITE_OK) return false;
    sqlite3_busy_timeout(database_, most_wait);
    for (const char* text :
         {"PRAGMA journal_mode=WAL", "PRAGMA synchronous=OFF", "PRAGMA mmap_size=1073741824", layout,
          // One look at what others wrote, for all that is asked: two system calls less for each.
          "BEGIN"})
        if (sqlite3_exec(database_, text, nullptr, nullptr, nullptr) != SQLITE_OK) return false;
    if (sqlite3_prepare_v2(database_, "SELECT value, day, object FROM results WHERE key = ?", -1, &find_,
                           nullptr) != SQLITE_OK)
        return false;
    is_empty_ = !Statement(database_, "SELECT 1 FROM results LIMIT 1").step();
    return true;
}

void Store::close() {
    sqlite3_finalize(find_);
    sqlite3_close(database_);
    find_ = nullptr;
    database_ = nullptr;
}

std::string Store::key_of(std::string_view subject) {
    Sha256 digest = sha256(subject);
    return std::string(as_text(digest).substr(0, 16));
}

std::optional<std::string> Store::find(std::string_view key, Sha256* hash) {
    std::string value, object;
    {
        std::lock_guard lock(mutex_);
        if (find_ == nullptr) return std::nullopt;
        if (auto kept = kept_at_.find(std::string(key)); kept != kept_at_.end()) {
            value = kept_[kept->second].value;
            object = kept_[kept->second].object;
        } else if (is_empty_) {
            return std::nullopt;
        } else {
            sqlite3_bind_blob64(find_, 1, key.data(), key.size(), SQLITE_STATIC);
            bool is_there = sqlite3_step(find_) == SQLITE_ROW;
            if (is_there) {
                value = bytes_of(find_, 0);
                object = bytes_of(find_, 2);
                if (sqlite3_column_int64(find_, 1) != today_) old_.emplace_back(key);
            }
            sqlite3_reset(find_);
            if (!is_there || value.size() < check_size) return std::nullopt;
            std::string check = value.substr(0, check_size);
            value.erase(0, check_size);
            if (check != check_of(key, value, object)) return std::nullopt;
        }
    }
    if (!object.empty()) return read_object(object, hash);
    if (hash != nullptr) *hash = sha256(value);
    return value;
}

std::optional<std::string> Store::find_shared(std::string_view key, const Check& is_right, Sha256* hash) {
    if (auto here = find(key, hash)) return here;
    if (!shared_ || !(is_right || shared_->is_trusted())) return std::nullopt;
    auto there = shared_->get(key);
    if (!there || (is_right && !is_right(*there))) return std::nullopt;
    ++shared_hits_;
    Sha256 own = sha256(*there);
    if (hash != nullptr) *hash = own;
    keep(key, *there, &own);
    return there;
}

void Store::keep_shared(std::string_view key, std::string value, const Sha256* hash) {
    if (shared_) shared_->put(key, value);
    keep(key, std::move(value), hash);
}

void Store::keep(std::string_view key, std::string value, const Sha256* hash) {
    if (find_ == nullptr) return;
    Kept kept{std::string(key), {}, {}, value.size()};
    if (value.size() > largest_inside) {
        Sha256 own = hash != nullptr ? *hash : sha256(value);
        kept.object = as_text(own);
        if (!write_object(kept.object, value)) return;
        kept.object += damage_check(as_bytes(value));
    } else {
        kept.value = std::move(value);
    }
    std::lock_guard lock(mutex_);
    kept_at_[kept.key] = kept_.size();
    kept_.push_back(std::move(kept));
}

fs::path Store::object_file(std::string_view hash) const {
    std::string name = hex(as_bytes(hash.substr(0, sizeof(Sha256))));
    return objects_ / name.substr(0, 2) / name.substr(2);
}

/// What the store holds is the user's own: it is checked for damage, not for forgery.
std::optional<std::string> Store::read_object(std::string_view object, Sha256* hash) const {
    if (object.size() <= sizeof(Sha256)) return std::nullopt;
    auto file = MappedFile::open(object_file(object));
    if (!file || damage_check(file->bytes()) != object.substr(sizeof(Sha256))) return std::nullopt;
    if (hash != nullptr) std::copy_n(object.begin(), hash->size(), reinterpret_cast<char*>(hash->data()));
    return std::string(file->text());
}

bool Store::write_object(const std::string& hash, std::string_view value) const {
    fs::path file = object_file(hash);
    std::error_code failed;
    if (fs::file_size(file, failed) == value.size() && !failed) return true;
    fs::create_directories(file.parent_path(), failed);
    return write_atomically(file, value, 0600).has_value();
}

void Store::flush() {
    std::lock_guard lock(mutex_);
    if (find_ == nullptr || is_held_ || (kept_.empty() && old_.empty())) return;
    sqlite3_exec(database_, "COMMIT", nullptr, nullptr, nullptr);
    // Where another process writes for so long, each statement would wait for it anew: it is done without.
    is_held_ = sqlite3_exec(database_, "BEGIN IMMEDIATE", nullptr, nullptr, nullptr) != SQLITE_OK;
    if (is_held_) {
        sqlite3_exec(database_, "BEGIN", nullptr, nullptr, nullptr);
        return;
    }
    {
        Statement insert(database_, "INSERT OR REPLACE INTO results VALUES (?, ?, ?, ?, ?)");
        for (const Kept& kept : kept_) {
            insert.bind(1, kept.key);
            insert.bind(2, today_);
            insert.bind(3, static_cast<std::int64_t>(kept.size));
            insert.bind(4, kept.object);
            std::string checked = check_of(kept.key, kept.value, kept.object) + kept.value;
            insert.bind(5, checked);
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
        if (!kept_.empty()) shrink();
    }
    sqlite3_exec(database_, "COMMIT; BEGIN", nullptr, nullptr, nullptr);
    is_empty_ = false;
    kept_.clear();
    kept_at_.clear();
    old_.clear();
}

/// Takes away what was not used for the longest time, until a quarter of the bound is free.
void Store::shrink() {
    Statement sum(database_, "SELECT sum(size) FROM results");
    std::uint64_t size = sum.step() ? static_cast<std::uint64_t>(sum.number(0)) : 0;
    sum.reset();
    if (size <= bound_) return;
    std::vector<std::pair<std::int64_t, std::string>> gone;
    Statement oldest(database_, "SELECT rowid, size, object FROM results ORDER BY day, rowid");
    while (size > bound_ / 4 * 3 && oldest.step()) {
        gone.emplace_back(oldest.number(0), oldest.bytes(2));
        size -= std::min(size, static_cast<std::uint64_t>(oldest.number(1)));
    }
    oldest.reset();
    Statement remove(database_, "DELETE FROM results WHERE rowid = ?");
    Statement others(database_, "SELECT 1 FROM results WHERE object = ? LIMIT 1");
    for (const auto& [row, object] : gone) {
        remove.bind(1, row);
        remove.step();
        remove.reset();
        if (object.empty()) continue;
        others.bind(1, object);
        std::error_code ignored;
        if (!others.step()) fs::remove(object_file(object), ignored);
        others.reset();
    }
}

} // namespace omnistasis
