#include "support/shared_store.h"

#include "support/files.h"
#include "support/hash.h"

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <fmt/format.h>
#include <openssl/evp.h>
#include <openssl/hmac.h>

namespace omnistasis {

namespace {

constexpr std::string_view mark = "OMNISHR1";
constexpr std::size_t code_size = 32;
constexpr std::size_t most_waiting = 128u << 20; ///< bytes; whoever has more waits
// What all waiting for the server together may cost, of threads that wait at once each: so many seconds, and
// one more for so many bytes that came or went. A store that takes longer is slower than the work itself.
constexpr double patience = 60, bytes_a_second = 1 << 20;

/// An address as it may be shown: without the password in it.
std::string without_password(const std::string& server) {
    std::size_t scheme = server.find("://"), at = server.rfind('@');
    if (scheme == std::string::npos || at == std::string::npos || at < scheme) return server;
    return server.substr(0, scheme + 3) + server.substr(at + 1);
}

double seconds_since(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

} // namespace

std::unique_ptr<SharedStore> SharedStore::open_users() {
    const char* url = std::getenv("OMNISTASIS_SHARED_STORE");
    if (url == nullptr || *url == 0) return nullptr;
    std::string secret;
    const char* file = std::getenv("OMNISTASIS_SHARED_STORE_SECRET");
    auto store = std::make_unique<SharedStore>(url, "");
    if (file == nullptr || *file == 0) return store;
    if (auto text = read_text(file))
        store->secret_ = hex(sha256(*text));
    else
        store->note_trouble(fmt::format("its secret can't be read from {}", file));
    return store;
}

SharedStore::SharedStore(const std::string& url, std::string secret) : secret_(std::move(secret)) {
    std::size_t scheme = url.find("://");
    std::size_t slash = scheme == std::string::npos ? std::string::npos : url.find('/', scheme + 3);
    server_ = url.substr(0, slash);
    folder_ = slash == std::string::npos ? "/" : url.substr(slash);
    if (!folder_.ends_with('/')) folder_ += '/';
    if (!url.starts_with("http://") && !url.starts_with("https://"))
        note_trouble("its address does not begin with http:// or https://");
    else if (auto connection = take_connection())
        give_back(std::move(connection));
}

SharedStore::~SharedStore() {
    {
        std::lock_guard lock(mutex_);
        ending_ = true;
    }
    changed_.notify_all();
    if (sender_.joinable()) sender_.join();
}

std::string SharedStore::path_of(std::string_view key) const {
    std::string name = hex(as_bytes(key));
    return folder_ + name.substr(0, 2) + "/" + name.substr(2);
}

std::string SharedStore::code_of(std::string_view key, std::string_view value) const {
    std::string subject(key);
    subject += value;
    if (secret_.empty()) {
        return std::string(as_text(sha256(subject)));
    }
    std::string code(code_size, '\0');
    unsigned size = code_size;
    HMAC(EVP_sha256(), secret_.data(), static_cast<int>(secret_.size()),
         reinterpret_cast<const unsigned char*>(subject.data()), subject.size(),
         reinterpret_cast<unsigned char*>(code.data()), &size);
    return code;
}

std::unique_ptr<WebClient> SharedStore::take_connection() {
    {
        std::lock_guard lock(mutex_);
        if (!connections_.empty()) {
            auto connection = std::move(connections_.back());
            connections_.pop_back();
            return connection;
        }
    }
    auto connection = WebClient::open(server_);
    if (connection) return std::move(*connection);
    const Error& error = connection.error();
    note_trouble(error.why.empty() ? error.what : fmt::format("{}: {}", error.what, error.why));
    return nullptr;
}

void SharedStore::give_back(std::unique_ptr<WebClient> connection) {
    std::lock_guard lock(mutex_);
    connections_.push_back(std::move(connection));
}

void SharedStore::note_trouble(const std::string& what) {
    std::lock_guard lock(mutex_);
    if (trouble_.empty())
        trouble_ =
            fmt::format("the shared store at {}{} is not used: {}", without_password(server_), folder_, what);
    waiting_.clear();
    waiting_bytes_ = 0;
    changed_.notify_all();
}

void SharedStore::count(double seconds, std::size_t bytes) {
    bool is_slow = false;
    {
        std::lock_guard lock(mutex_);
        waited_ += seconds - static_cast<double>(bytes) / bytes_a_second;
        is_slow = waited_ > patience;
    }
    if (is_slow) note_trouble("it is too slow");
}

bool SharedStore::is_given_up() const {
    std::lock_guard lock(mutex_);
    return !trouble_.empty();
}

std::string SharedStore::trouble() const {
    std::lock_guard lock(mutex_);
    return trouble_;
}

std::optional<std::string> SharedStore::get(std::string_view key) {
    if (is_given_up()) return std::nullopt;
    auto connection = take_connection();
    if (!connection) return std::nullopt;
    std::string content;
    bool too_large = false;
    auto start = std::chrono::steady_clock::now();
    auto answer = connection->get(path_of(key), [&](std::string_view piece) {
        too_large = content.size() + piece.size() > largest_object + mark.size() + code_size;
        if (!too_large) content += piece;
        return !too_large;
    });
    count(seconds_since(start), content.size());
    if (answer.status < 0) {
        note_trouble(too_large ? "it sends more than anybody puts there" : answer.why);
        return std::nullopt;
    }
    give_back(std::move(connection));
    if (answer.status >= 500 || answer.status == 401 || answer.status == 403)
        note_trouble(fmt::format("it answers {}", answer.status));
    std::size_t front = mark.size() + code_size;
    if (answer.status != 200 || content.size() < front || !content.starts_with(mark)) return std::nullopt;
    std::string value = content.substr(front);
    if (content.compare(mark.size(), code_size, code_of(key, value)) != 0) return std::nullopt;
    return value;
}

void SharedStore::put(std::string_view key, std::string_view value) {
    if (value.size() > largest_object || is_given_up()) return;
    Object object{path_of(key), std::string(mark) + code_of(key, value) + std::string(value)};
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [&] { return waiting_bytes_ < most_waiting || !trouble_.empty(); });
    if (!trouble_.empty()) return;
    waiting_bytes_ += object.content.size();
    waiting_.push_back(std::move(object));
    if (!sender_.joinable()) sender_ = std::thread([this] { send_all(); });
    changed_.notify_all();
}

void SharedStore::send_all() {
    auto connection = take_connection();
    if (!connection) return;
    std::unique_lock lock(mutex_);
    for (;;) {
        changed_.wait(lock, [&] { return ending_ || !waiting_.empty(); });
        if (waiting_.empty()) return;
        Object object = std::move(waiting_.front());
        waiting_.pop_front();
        sending_ = true;
        lock.unlock();
        auto start = std::chrono::steady_clock::now();
        auto answer = connection->put(object.path, object.content);
        count(seconds_since(start), object.content.size());
        if (answer.status < 0)
            note_trouble(answer.why);
        else if (answer.status >= 300)
            note_trouble(fmt::format("it answers {} to a PUT", answer.status));
        lock.lock();
        waiting_bytes_ -= std::min(waiting_bytes_, object.content.size());
        sending_ = false;
        changed_.notify_all();
    }
}

void SharedStore::finish() {
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [&] { return waiting_.empty() && !sending_; });
}

} // namespace omnistasis
