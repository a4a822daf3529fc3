#pragma once

#include "support/error.h"

#include <functional>
#include <memory>
#include <string>
#include <string_view>

namespace omnistasis {

/// A connection to a web server (HTTP/1.1, RFC 9112). What speaks it is a module that is loaded with the
/// first connection. For one thread at a time.
class WebClient {
  public:
    /// `server`: scheme, host and port. An error where that is none, or where the module can't be loaded;
    /// nothing is sent yet.
    static Result<std::unique_ptr<WebClient>> open(const std::string& server);

    struct Answer {
        int status = -1; ///< RFC 9110; -1 where there is no answer
        std::string why; ///< there is none
    };

    /// `take` is called for each piece of what is at a path, and returns false to stop.
    Answer get(const std::string& path, const std::function<bool(std::string_view)>& take);
    Answer put(const std::string& path, std::string_view content);

  private:
    struct Close {
        void operator()(void* client) const;
    };
    std::unique_ptr<void, Close> client_;
};

} // namespace omnistasis
