#include "self_windows.h"

#include "sha256.h"
#include "window_slot.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

namespace omnistasis::launcher {

using namespace payload;

namespace {

/// The last part of the path of the running program.
const wchar_t* own_name(const wchar_t* path) {
    const wchar_t* slash = wcsrchr(path, L'\\');
    return slash != nullptr ? slash + 1 : path;
}

} // namespace

bool is_window() { return window_slot.is_window == 1; }

void show_box(const wchar_t* text, const wchar_t* title) {
    HMODULE library = LoadLibraryExW(L"user32.dll", nullptr, LOAD_LIBRARY_SEARCH_SYSTEM32);
    auto show = library == nullptr ? nullptr
                                   : reinterpret_cast<decltype(&MessageBoxW)>(
                                         reinterpret_cast<void*>(GetProcAddress(library, "MessageBoxW")));
    if (show != nullptr) show(nullptr, text, title, MB_OK | MB_ICONERROR);
}

wchar_t* wide_room(size_t count) { return static_cast<wchar_t*>(calloc(count, sizeof(wchar_t))); }

wchar_t* concat(const wchar_t* first, const wchar_t* second, const wchar_t* third) {
    wchar_t* result = wide_room(wcslen(first) + wcslen(second) + wcslen(third) + 1);
    return result == nullptr ? nullptr : wcscat(wcscat(wcscpy(result, first), second), third);
}

wchar_t* wide(const char* text, size_t size, size_t extra) {
    int units = MultiByteToWideChar(CP_UTF8, 0, text, static_cast<int>(size), nullptr, 0);
    wchar_t* result = wide_room(static_cast<size_t>(units) + extra + 1);
    if (result != nullptr) MultiByteToWideChar(CP_UTF8, 0, text, static_cast<int>(size), result, units);
    return result;
}

bool set(Failure& failure, int code, const wchar_t* what, const wchar_t* where, DWORD error) {
    failure.exit_code = code;
    wchar_t reason[200] = {};
    if (error != 0) {
        FormatMessageW(FORMAT_MESSAGE_FROM_SYSTEM | FORMAT_MESSAGE_IGNORE_INSERTS, nullptr, error, 0, reason,
                       199, nullptr);
        for (wchar_t* at = reason; *at != 0; ++at)
            if (*at == L'\r' || *at == L'\n') *at = 0;
        if (reason[0] == 0) _snwprintf(reason, 199, L"error %lu", static_cast<unsigned long>(error));
    }
    _snwprintf(failure.text, 699, L"%ls%ls%.400ls%ls%ls", what, where[0] != 0 ? L" " : L"", where,
               reason[0] != 0 ? L": " : L"", reason);
    return false;
}

bool set(Failure& failure, ReadError error) {
    const char* text = text_of(error);
    wchar_t* reason = wide(text, strlen(text));
    return set(failure, exit_damaged, L"can't start:", reason, 0);
}

void stop(const wchar_t* path, const Failure& failure) {
    wchar_t text[1000];
    int size = _snwprintf(text, 999, L"%ls: %ls\n", own_name(path), failure.text);
    if (is_window()) {
        show_box(failure.text, own_name(path));
    } else {
        HANDLE stream = GetStdHandle(STD_ERROR_HANDLE);
        DWORD written = 0;
        char bytes[4000];
        int count = WideCharToMultiByte(CP_UTF8, 0, text, size, bytes, sizeof bytes, nullptr, nullptr);
        if (WriteConsoleW(stream, text, static_cast<DWORD>(size), &written, nullptr) == 0)
            WriteFile(stream, bytes, static_cast<DWORD>(count), &written, nullptr);
    }
    ExitProcess(static_cast<UINT>(failure.exit_code));
}

wchar_t* long_path(const wchar_t* path) {
    wchar_t* result = wide_room(wcslen(path) + 8);
    if (wcsncmp(path, L"\\\\?\\", 4) == 0)
        wcscpy(result, path);
    else if (wcsncmp(path, L"\\\\", 2) == 0)
        wcscat(wcscpy(result, L"\\\\?\\UNC\\"), path + 2);
    else
        wcscat(wcscpy(result, L"\\\\?\\"), path);
    return result;
}

const wchar_t* without_mark(const wchar_t* path) {
    return wcsncmp(path, L"\\\\?\\", 4) == 0 && wcsncmp(path, L"\\\\?\\UNC\\", 8) != 0 ? path + 4 : path;
}

ReadError open_self(Self& self) {
    self.path = wide_room(longest_path);
    GetModuleFileNameW(nullptr, self.path, longest_path);
    self.path = const_cast<wchar_t*>(without_mark(self.path));
    HANDLE file = CreateFileW(long_path(self.path), GENERIC_READ, FILE_SHARE_READ | FILE_SHARE_DELETE,
                              nullptr, OPEN_EXISTING, 0, nullptr);
    LARGE_INTEGER size;
    if (file == INVALID_HANDLE_VALUE || GetFileSizeEx(file, &size) == 0) return ReadError::no_payload;
    self.size = static_cast<uint64_t>(size.QuadPart);
    HANDLE mapping = CreateFileMappingW(file, nullptr, PAGE_READONLY, 0, 0, nullptr);
    if (mapping != nullptr)
        self.bytes = static_cast<const uint8_t*>(MapViewOfFile(mapping, FILE_MAP_READ, 0, 0, 0));
    if (self.bytes == nullptr || self.size < trailer_size) return ReadError::no_payload;
    if (auto error = read_trailer(self.bytes + self.size - trailer_size, self.size, self.trailer);
        error != ReadError::none)
        return error;
    return read_head({self.bytes + self.trailer.head_offset, static_cast<size_t>(self.trailer.head_size)},
                     self.trailer, self.head);
}

bool load_index(const Self& self, Index& index, Failure& failure) {
    auto* raw = static_cast<uint8_t*>(malloc(self.trailer.index_raw + 1));
    if (raw == nullptr) return set(failure, exit_no_room, L"there is not enough memory", L"", 0);
    ReadError error =
        unpack_index({self.bytes + self.trailer.index_offset, static_cast<size_t>(self.trailer.index_stored)},
                     self.trailer, self.head, raw);
    if (error == ReadError::none)
        error = index.open({raw, static_cast<size_t>(self.trailer.index_raw)}, self.trailer,
                           self.head.tree_folder.size == 0);
    if (error == ReadError::none) {
        auto* room = static_cast<uint8_t*>(malloc(tree_identity_size(self.head, index)));
        if (room == nullptr) return set(failure, exit_no_room, L"there is not enough memory", L"", 0);
        if (!is_tree_id_right(self.head, index, room)) error = ReadError::damaged;
        free(room);
    }
    return error == ReadError::none || set(failure, error);
}

bool is_rest_whole(const Self& self) {
    uint8_t digest[32];
    if (self.head.launcher_hash.size != 0) {
        auto size = static_cast<size_t>(self.trailer.payload_offset);
        auto* launcher = static_cast<uint8_t*>(malloc(size));
        if (launcher == nullptr) return false;
        memcpy(launcher, self.bytes, size);
        uint32_t header = 0;
        memcpy(&header, launcher + pe_header_offset, sizeof header);
        if (header + pe_checksum_offset + 4 > size) return false;
        memset(launcher + header + pe_checksum_offset, 0, 4);
        sha256(launcher, size, digest);
        free(launcher);
        if (memcmp(digest, self.head.launcher_hash.data, sizeof digest) != 0) return false;
    }
    if (self.head.parts.hash == nullptr) return true;
    sha256(self.bytes + self.head.parts.offset, static_cast<size_t>(self.head.parts.stored), digest);
    return memcmp(digest, self.head.parts.hash, sizeof digest) == 0;
}

} // namespace omnistasis::launcher
