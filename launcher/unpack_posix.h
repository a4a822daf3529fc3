// Puts a payload's tree into the user's cache folder, once.
#pragma once

#include "payload_reader.h"

namespace omnistasis::launcher {

/// The executable that is running, opened, with what its payload says.
struct Self {
    int descriptor = -1;
    uint64_t size = 0;
    payload::Trailer trailer;
    payload::Head head;
};

/// Why a tree could not be provided.
struct Failure {
    int exit_code = 0; ///< docs/exit-codes.md, "of built applications"
    char text[600] = {};
};

constexpr int exit_no_room = 121;  ///< no folder where the tree can be put
constexpr int exit_damaged = 122;  ///< the executable is not what was built
constexpr int exit_no_start = 123; ///< the tree's program does not start

/// Writes the tree's absolute path into `tree` (of `room` bytes). Unpacks it unless it is there already; many
/// processes at once unpack it once. False with `failure` filled in where that can't be done.
bool provide_tree(const Self& self, char* tree, size_t room, Failure& failure);

} // namespace omnistasis::launcher
