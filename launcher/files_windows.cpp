#include "files_windows.h"

#include <stdlib.h>
#include <string.h>

namespace omnistasis::launcher {

using namespace payload;

void make_folders_above(wchar_t* path) {
    for (wchar_t* at = path + 7; (at = wcschr(at, L'\\')) != nullptr; ++at) {
        *at = 0;
        CreateDirectoryW(path, nullptr);
        *at = L'\\';
    }
}

wchar_t* path_in(const wchar_t* tree, const File& file) {
    wchar_t* inner = wide(reinterpret_cast<const char*>(file.path.data), file.path.size);
    wchar_t* path = inner == nullptr ? nullptr : wide_room(wcslen(tree) + wcslen(inner) + 2);
    if (path == nullptr) return nullptr;
    wcscat(wcscat(wcscpy(path, tree), L"\\"), inner);
    for (wchar_t* at = path + wcslen(tree); *at != 0; ++at)
        if (*at == L'/') *at = L'\\';
    free(inner);
    return path;
}

HANDLE open_in_tree(const wchar_t* tree, const File& file) {
    wchar_t* path = path_in(tree, file);
    if (path == nullptr) return INVALID_HANDLE_VALUE;
    auto open = [&] {
        return CreateFileW(path, GENERIC_WRITE, FILE_SHARE_READ | FILE_SHARE_WRITE, nullptr, OPEN_ALWAYS,
                           FILE_ATTRIBUTE_NORMAL, nullptr);
    };
    HANDLE handle = open();
    if (handle == INVALID_HANDLE_VALUE && GetLastError() == ERROR_PATH_NOT_FOUND) {
        make_folders_above(path);
        handle = open();
    }
    free(path);
    return handle;
}

bool write_at(HANDLE file, const uint8_t* data, size_t size, uint64_t offset) {
    while (size > 0) {
        OVERLAPPED at = {};
        at.Offset = static_cast<DWORD>(offset);
        at.OffsetHigh = static_cast<DWORD>(offset >> 32);
        DWORD piece = size > (1u << 30) ? 1u << 30 : static_cast<DWORD>(size), written = 0;
        if (WriteFile(file, data, piece, &written, &at) == 0 || written == 0) return false;
        data += written;
        size -= written;
        offset += written;
    }
    return true;
}

void remove_all(const wchar_t* path) {
    wchar_t* pattern = wide_room(wcslen(path) + 4);
    wcscat(wcscpy(pattern, path), L"\\*");
    WIN32_FIND_DATAW found;
    HANDLE search = FindFirstFileW(pattern, &found);
    if (search != INVALID_HANDLE_VALUE) {
        do {
            if (wcscmp(found.cFileName, L".") == 0 || wcscmp(found.cFileName, L"..") == 0) continue;
            wchar_t* inner = wide_room(wcslen(path) + wcslen(found.cFileName) + 2);
            wcscat(wcscat(wcscpy(inner, path), L"\\"), found.cFileName);
            bool is_link = (found.dwFileAttributes & FILE_ATTRIBUTE_REPARSE_POINT) != 0;
            if ((found.dwFileAttributes & FILE_ATTRIBUTE_DIRECTORY) != 0) {
                if (is_link)
                    RemoveDirectoryW(inner);
                else
                    remove_all(inner);
            } else {
                DeleteFileW(inner);
            }
            free(inner);
        } while (FindNextFileW(search, &found) != 0);
        FindClose(search);
    }
    RemoveDirectoryW(path);
    free(pattern);
}

} // namespace omnistasis::launcher
