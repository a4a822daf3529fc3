// Starts a program with a dynamic loader that the tree brings along, where the system's own is another or
// none.
#pragma once

namespace omnistasis::launcher {

/// Files of the launcher's that the program shall not have open; -1: none.
struct OpenFiles {
    int executable = -1;
    int marker = -1;
};

/// Becomes the dynamic loader in the file `loader`, which gets `arguments`: its own path, the program, and
/// the program's arguments, ended by null. The process stays the one that the user started: its executable
/// (/proc/self/exe) and its command line are what they were, and the environment is untouched. Nothing is
/// started anew: this maps the loader as the kernel would have done and jumps to its entry point with a stack
/// as the System V ABI has it (AMD64 supplement, section 3.4.1). Comes back, with errno, only where it can't.
void become_loader(const char* loader, char** arguments, const OpenFiles& to_close);

} // namespace omnistasis::launcher
