// Tells somebody without a terminal why the application does not start.
#pragma once

namespace omnistasis::launcher {

/// Shows `text` in a window on the X display that the environment names, until it is closed or a key is
/// pressed. Does nothing where there is none. Speaks the X protocol (X11R7.7, "X Window System Protocol")
/// itself: a static program has no library to ask.
void show_message(const char* title, const char* text);

} // namespace omnistasis::launcher
