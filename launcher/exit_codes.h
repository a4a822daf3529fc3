// How a launcher ends when it can't start the application (docs/exit-codes.md, "of built applications").
#pragma once

namespace omnistasis::launcher {

constexpr int exit_no_room = 121;  ///< no folder where the tree or the application's data can be put
constexpr int exit_damaged = 122;  ///< the executable, or its tree, is not what was built
constexpr int exit_no_start = 123; ///< the tree's program does not start

} // namespace omnistasis::launcher
