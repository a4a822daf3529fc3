#pragma once

#include "support/observer.h"

namespace omnistasis::test {

/// For work whose progress nobody looks at.
struct SilentObserver : Observer {
    void step(std::string_view, std::size_t) override {}
    void advance(std::size_t) override {}
};

} // namespace omnistasis::test
