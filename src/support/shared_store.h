#pragma once

#include "support/web_client.h"

#include <condition_variable>
#include <cstdint>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <string_view>
#include <thread>
#include <vector>

namespace omnistasis {

/// A team's store: results of work on a web server that answers GET and takes PUT (WebDAV, RFC 4918), one
/// object a key (docs/store.md, "Sharing"). A server that can't be reached, or that says nonsense, is as good
/// as none: after the first failure to connect it is not asked again. Safe to use from many threads.
class SharedStore {
  public:
    static constexpr std::size_t largest_object = 64u << 20; ///< bytes

    /// From the environment: OMNISTASIS_SHARED_STORE (an URL) and OMNISTASIS_SHARED_STORE_SECRET (a file).
    /// Null where nothing is set.
    static std::unique_ptr<SharedStore> open_users();

    /// With a secret every object carries a code that only those who have it can make (HMAC-SHA256, RFC
    /// 2104).
    SharedStore(const std::string& url, std::string secret);
    ~SharedStore();
    SharedStore(const SharedStore&) = delete;
    SharedStore& operator=(const SharedStore&) = delete;

    /// Whether what comes back is known to be from somebody who has the secret. Without one only such results
    /// may be asked for that the caller can check.
    bool is_trusted() const { return !secret_.empty(); }

    /// Nothing where it is not there, or is not what was put there.
    std::optional<std::string> get(std::string_view key);

    /// Sends an object in the background.
    void put(std::string_view key, std::string_view value);

    /// Waits until all is sent, or can't be.
    void finish();

    /// Why the server is not asked any more; empty where all is well.
    std::string trouble() const;

  private:
    struct Object {
        std::string path;
        std::string content;
    };
    std::string path_of(std::string_view key) const;
    std::string code_of(std::string_view key, std::string_view value) const;
    /// Null where there is none.
    std::unique_ptr<WebClient> take_connection();
    void give_back(std::unique_ptr<WebClient> connection);
    void note_trouble(const std::string& what);
    bool is_given_up() const;
    /// What an answer took; gives the server up where it is too slow for what it brings.
    void count(double seconds, std::size_t bytes);
    void send_all();

    std::string server_; ///< scheme, host and port
    std::string folder_; ///< of the objects, with a `/` at its end
    std::string secret_;
    mutable std::mutex mutex_;
    std::condition_variable changed_;
    std::vector<std::unique_ptr<WebClient>> connections_; ///< idle ones
    std::deque<Object> waiting_;
    std::size_t waiting_bytes_ = 0;
    bool sending_ = false, ending_ = false;
    double waited_ = 0; ///< seconds, less what the bytes were worth
    std::string trouble_;
    std::thread sender_;
};

} // namespace omnistasis
