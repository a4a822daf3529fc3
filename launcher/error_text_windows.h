// What a program in window mode writes to standard error, where nobody would see it.
#pragma once

#include "self_windows.h"

namespace omnistasis::launcher {

/// Takes a program's standard error from a pipe while it runs, in a thread of its own.
class ErrorText {
  public:
    /// Makes the pipe and begins; the end that the program writes to, inheritable. Null where that fails.
    HANDLE begin();

    /// The program has it now: our own copy of that end is closed.
    void passed_on();

    /// The program has ended with `code`. Where that is an error and it has written something, it is told in
    /// a box with the last lines; all of it goes to a file among the user's temporary ones, which the box
    /// names.
    void tell(const Self& self, DWORD code);

  private:
    static DWORD WINAPI read(void* text);
    void write_file(const wchar_t* path) const;

    static constexpr size_t most = 1u << 20; ///< of a longer text the end is kept
    HANDLE from_ = nullptr, to_ = nullptr, thread_ = nullptr;
    char* bytes_ = nullptr;
    volatile size_t size_ = 0;
    bool is_cut_ = false;
};

} // namespace omnistasis::launcher
