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

namespace {

wchar_t* path_in(const wchar_t* folder, const char* text, size_t size) {
    wchar_t* inner = wide(text, size);
    if (inner == nullptr) return nullptr;
    wchar_t* path = joined(folder, inner);
    free(inner);
    if (path == nullptr) return nullptr;
    for (wchar_t* at = path + wcslen(folder); *at != 0; ++at)
        if (*at == L'/') *at = L'\\';
    return path;
}

bool copy_below(const wchar_t* from, const wchar_t* to) {
    Found found = look_at(from);
    if (!found.is_there) return false;
    if (found.is_link) return true;
    if (!found.is_folder) return CopyFileW(from, to, TRUE) != 0;
    if (CreateDirectoryW(to, nullptr) == 0) return false;
    bool done = true;
    each_entry(from, [&](const WIN32_FIND_DATAW& entry) {
        wchar_t* inner_from = joined(from, entry.cFileName);
        wchar_t* inner_to = joined(to, entry.cFileName);
        done = done && copy_below(inner_from, inner_to);
        free(inner_from);
        free(inner_to);
    });
    return done;
}

} // namespace

wchar_t* path_in(const wchar_t* tree, const File& file) {
    return path_in(tree, reinterpret_cast<const char*>(file.path.data), file.path.size);
}

wchar_t* path_in(const wchar_t* folder, const char* path) { return path_in(folder, path, strlen(path)); }

Found look_at(const wchar_t* path) {
    HANDLE file = CreateFileW(path, FILE_READ_ATTRIBUTES,
                              FILE_SHARE_READ | FILE_SHARE_WRITE | FILE_SHARE_DELETE, nullptr, OPEN_EXISTING,
                              FILE_FLAG_BACKUP_SEMANTICS | FILE_FLAG_OPEN_REPARSE_POINT, nullptr);
    Found found;
    if (file == INVALID_HANDLE_VALUE) return found;
    BY_HANDLE_FILE_INFORMATION said;
    if (GetFileInformationByHandle(file, &said) != 0) {
        found.is_there = true;
        found.is_folder = (said.dwFileAttributes & FILE_ATTRIBUTE_DIRECTORY) != 0;
        found.is_link = (said.dwFileAttributes & FILE_ATTRIBUTE_REPARSE_POINT) != 0;
        found.written = ticks(said.ftLastWriteTime);
        found.number = static_cast<uint64_t>(said.nFileIndexHigh) << 32 | said.nFileIndexLow;
        found.disk = said.dwVolumeSerialNumber;
    }
    CloseHandle(file);
    return found;
}

bool copy_all(const wchar_t* from, const wchar_t* temporary, const wchar_t* to) {
    DeleteFileW(temporary);
    remove_all(temporary);
    if (copy_below(from, temporary) && MoveFileExW(temporary, to, MOVEFILE_WRITE_THROUGH) != 0) return true;
    DWORD reason = GetLastError();
    DeleteFileW(temporary);
    remove_all(temporary);
    SetLastError(reason);
    return false;
}

LockedFile::LockedFile(const wchar_t* folder, const wchar_t* name) {
    wchar_t* path = joined(folder, name);
    file_ = CreateFileW(path, GENERIC_READ | GENERIC_WRITE, FILE_SHARE_READ | FILE_SHARE_WRITE, nullptr,
                        OPEN_ALWAYS, FILE_ATTRIBUTE_NORMAL, nullptr);
    free(path);
    if (!is_held()) return;
    OVERLAPPED range = {};
    LockFileEx(file_, LOCKFILE_EXCLUSIVE_LOCK, 0, 1, 0, &range);
}

LockedFile::~LockedFile() {
    if (!is_held()) return;
    OVERLAPPED range = {};
    UnlockFileEx(file_, 0, 1, 0, &range);
    CloseHandle(file_);
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
    each_entry(path, [&](const WIN32_FIND_DATAW& entry) {
        wchar_t* inner = joined(path, entry.cFileName);
        bool is_link = (entry.dwFileAttributes & FILE_ATTRIBUTE_REPARSE_POINT) != 0;
        if ((entry.dwFileAttributes & FILE_ATTRIBUTE_DIRECTORY) == 0)
            DeleteFileW(inner);
        else if (is_link)
            RemoveDirectoryW(inner);
        else
            remove_all(inner);
        free(inner);
    });
    RemoveDirectoryW(path);
}

} // namespace omnistasis::launcher
