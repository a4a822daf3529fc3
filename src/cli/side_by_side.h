// Parts of a command that have nothing to do with each other, each in a process of its own.
#pragma once

#include <cstddef>
#include <functional>

namespace omnistasis::cli {

/// Runs `part` for 0, 1, ... `count` - 1, as many at once as there are cores. What each prints comes whole,
/// in the order of their numbers; `done` is called as each ends. Behind the first that fails nothing is
/// printed: its exit code is the result, else 0. To be called after handle_interruptions, and before this
/// process has threads that work.
int run_side_by_side(std::size_t count, const std::function<int(std::size_t)>& part,
                     const std::function<void()>& done);

} // namespace omnistasis::cli
