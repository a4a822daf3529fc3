// Whether the application has a terminal, as the launcher's own bytes say it. For one file of each launcher.
#pragma once

#include "payload_format.h"

#include <stddef.h>
#include <stdint.h>

namespace omnistasis::launcher {

struct WindowSlot {
    char mark[sizeof payload::window_mark - 1];
    uint8_t is_window;
};

/// Filled in when an application is built; the compiler must not believe that it knows the content.
static volatile const WindowSlot window_slot = {
    {'O', 'M', 'N', 'I', 'S', 'T', 'A', 'S', 'I', 'S', '-', 'W', 'I', 'N', 'D', 'O', 'W', ':'}, 0};

} // namespace omnistasis::launcher
