#pragma once

#include "support/error.h"

#include <cstddef>
#include <limits>
#include <mutex>
#include <optional>

namespace omnistasis {

/// What a loop that runs in parallel fails with: of all failures the one with the lowest index, so that the
/// same input gives the same error whatever the threads do. The loop does its other steps all the same.
class FirstFailure {
  public:
    /// Called from any thread.
    void note(std::size_t index, Error error) {
        std::lock_guard lock(mutex_);
        if (error_ && index_ <= index) return;
        index_ = index;
        error_ = std::move(error);
    }

    /// Called once the loop is done.
    Result<void> result() const {
        if (error_) return tl::make_unexpected(*error_);
        return {};
    }

  private:
    std::mutex mutex_;
    std::size_t index_ = std::numeric_limits<std::size_t>::max();
    std::optional<Error> error_;
};

} // namespace omnistasis
