#pragma once

#include <cstddef>
#include <string_view>

namespace omnistasis {

/// Hears how far a long job is. Calls come from any thread.
class Observer {
  public:
    virtual ~Observer() = default;
    /// A new step begins; `total` is the number of its units, 0 where it is not known.
    virtual void step(std::string_view name, std::size_t total) = 0;
    /// The same where the units are bytes, so that a rate tells something.
    virtual void step_of_bytes(std::string_view name, std::size_t total) { step(name, total); }
    /// `count` more units of the present step are done.
    virtual void advance(std::size_t count) = 0;
};

/// For work whose steps mean nothing to whoever waits for it.
struct SilentObserver : Observer {
    void step(std::string_view, std::size_t) override {}
    void advance(std::size_t) override {}
};

} // namespace omnistasis
