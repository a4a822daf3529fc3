// The application's state as the head lists it (docs/payload-format.md, tag 10).
#pragma once

#include "payload_reader.h"

#include <string.h>

namespace omnistasis::launcher {

/// One path of the application's state.
struct State {
    bool is_folder = false;
    const char* place = nullptr; ///< in the tree
    const char* path = nullptr;  ///< in the data folder
};

/// Whether a tree leads to it.
enum class StateResult {
    ready,
    tree_is_fixed, ///< the tree may not be changed: others', on another disk, or on one that is only read
    failed,        ///< `failure` says why
};

/// Where the tree has the initial content of each: `state/<path>`.
constexpr const char* initial_state_folder = "state";

/// Walks the head's list: `at` begins at 0 and is moved on; false at its end.
inline bool next_state(const payload::Head& head, size_t& at, State& state) {
    if (at >= head.state.size) return false;
    const auto* start = reinterpret_cast<const char*>(head.state.data) + at;
    const char* text = start;
    state.is_folder = strcmp(text, "folder") == 0;
    text += strlen(text) + 1;
    state.place = text;
    text += strlen(text) + 1;
    state.path = text;
    text += strlen(text) + 1;
    at += static_cast<size_t>(text - start);
    return true;
}

/// Whether any of the state is a file.
inline bool keeps_files(const payload::Head& head) {
    State state;
    for (size_t at = 0; next_state(head, at, state);)
        if (!state.is_folder) return true;
    return false;
}

} // namespace omnistasis::launcher
