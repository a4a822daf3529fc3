// The executable that is running, texts as Windows has them, and how a launcher says that it can't go on.
#pragma once

#include "exit_codes.h"
#include "payload_reader.h"

#include <wchar.h>
#include <windows.h>

namespace omnistasis::launcher {

/// The running executable, mapped.
struct Self {
    wchar_t* path = nullptr; ///< absolute, as the system says it, without `\\?\`
    const uint8_t* bytes = nullptr;
    uint64_t size = 0;
    payload::Trailer trailer;
    payload::Head head;
};

/// Why the application can't be started.
struct Failure {
    int exit_code = 0;
    wchar_t text[700] = {};
};

constexpr size_t longest_path = 32768; ///< UTF-16 units that the system takes

/// Whether the application was built in window mode.
bool is_window();

/// Shows a text in a box with the sign of an error. The library with boxes is loaded for it alone: it takes
/// longer to load than all the rest.
void show_box(const wchar_t* text, const wchar_t* title);

/// Room for a text of so many units, all zero. Nothing is freed that lives as long as the launcher.
wchar_t* wide_room(size_t count);

/// Texts behind each other, in memory of their own; null where there is not enough.
wchar_t* concat(const wchar_t* first, const wchar_t* second, const wchar_t* third = L"");

/// A UTF-8 text as UTF-16, with room for `extra` more units behind it.
wchar_t* wide(const char* text, size_t size, size_t extra = 0);

/// "what where: the system's reason", the last only with an error number. False.
bool set(Failure& failure, int code, const wchar_t* what, const wchar_t* where, DWORD error);
bool set(Failure& failure, payload::ReadError error);

/// Says why the application does not start; in window mode to somebody without a terminal.
[[noreturn]] void stop(const wchar_t* path, const Failure& failure);

/// A path with the mark that lets it be long, and one without it.
wchar_t* long_path(const wchar_t* path);
const wchar_t* without_mark(const wchar_t* path);

payload::ReadError open_self(Self& self);

/// Reads the index, checked against the hashes above it, into memory that is never freed.
bool load_index(const Self& self, payload::Index& index, Failure& failure);

/// Whether what no start reads is what the head says. The checksum of the file as a whole, which is in its
/// header, is not part of what was hashed.
bool is_rest_whole(const Self& self);

} // namespace omnistasis::launcher
