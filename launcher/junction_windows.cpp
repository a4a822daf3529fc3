#include "junction_windows.h"

#include "self_windows.h"

#include <stdlib.h>
#include <string.h>
#include <winioctl.h>

namespace omnistasis::launcher {

namespace {

/// REPARSE_DATA_BUFFER with a MountPointReparseBuffer, whose two texts follow.
struct MountPoint {
    DWORD tag = IO_REPARSE_TAG_MOUNT_POINT;
    WORD size = 0, reserved = 0; ///< of what is behind these two
    WORD target_offset = 0, target_size = 0, shown_offset = 0, shown_size = 0;
};
constexpr size_t head_size = 8;

/// A target as the system's kernel has it.
wchar_t* kernel_path(const wchar_t* target) { return concat(L"\\??\\", without_mark(target)); }

HANDLE open_itself(const wchar_t* path, DWORD access) {
    return CreateFileW(path, access, FILE_SHARE_READ | FILE_SHARE_WRITE | FILE_SHARE_DELETE, nullptr,
                       OPEN_EXISTING, FILE_FLAG_OPEN_REPARSE_POINT | FILE_FLAG_BACKUP_SEMANTICS, nullptr);
}

} // namespace

bool make_junction(const wchar_t* path, const wchar_t* target) {
    // They lead to disks of this machine only.
    if (wcsncmp(target, L"\\\\?\\UNC\\", 8) == 0) return SetLastError(ERROR_NOT_SUPPORTED), false;
    if (CreateDirectoryW(path, nullptr) == 0) return false;
    wchar_t* to = kernel_path(target);
    const wchar_t* shown = without_mark(target);
    size_t to_size = wcslen(to) * sizeof(wchar_t), shown_size = wcslen(shown) * sizeof(wchar_t);
    size_t texts = to_size + shown_size + 2 * sizeof(wchar_t);
    auto* bytes = static_cast<uint8_t*>(calloc(1, sizeof(MountPoint) + texts));
    MountPoint point;
    point.size = static_cast<WORD>(sizeof point - head_size + texts);
    point.target_size = static_cast<WORD>(to_size);
    point.shown_offset = static_cast<WORD>(to_size + sizeof(wchar_t));
    point.shown_size = static_cast<WORD>(shown_size);
    memcpy(bytes, &point, sizeof point);
    memcpy(bytes + sizeof point, to, to_size);
    memcpy(bytes + sizeof point + point.shown_offset, shown, shown_size);
    HANDLE folder = open_itself(path, GENERIC_WRITE);
    DWORD returned = 0;
    bool made =
        folder != INVALID_HANDLE_VALUE && texts < MAXIMUM_REPARSE_DATA_BUFFER_SIZE - sizeof point &&
        DeviceIoControl(folder, FSCTL_SET_REPARSE_POINT, bytes, static_cast<DWORD>(sizeof point + texts),
                        nullptr, 0, &returned, nullptr) != 0;
    DWORD reason = GetLastError();
    if (folder != INVALID_HANDLE_VALUE) CloseHandle(folder);
    if (!made) RemoveDirectoryW(path);
    free(bytes);
    free(to);
    SetLastError(reason);
    return made;
}

bool is_junction(const wchar_t* path) {
    DWORD attributes = GetFileAttributesW(path);
    return attributes != INVALID_FILE_ATTRIBUTES && (attributes & FILE_ATTRIBUTE_REPARSE_POINT) != 0;
}

bool leads_to(const wchar_t* path, const wchar_t* target) {
    if (!is_junction(path)) return false;
    HANDLE folder = open_itself(path, 0);
    if (folder == INVALID_HANDLE_VALUE) return false;
    auto* bytes = static_cast<uint8_t*>(calloc(1, MAXIMUM_REPARSE_DATA_BUFFER_SIZE));
    DWORD size = 0;
    MountPoint point;
    bool same = DeviceIoControl(folder, FSCTL_GET_REPARSE_POINT, nullptr, 0, bytes,
                                MAXIMUM_REPARSE_DATA_BUFFER_SIZE, &size, nullptr) != 0 &&
                size >= sizeof point;
    CloseHandle(folder);
    wchar_t* to = kernel_path(target);
    if (same) {
        memcpy(&point, bytes, sizeof point);
        size_t wanted = wcslen(to) * sizeof(wchar_t);
        same = point.tag == IO_REPARSE_TAG_MOUNT_POINT && point.target_size == wanted &&
               sizeof point + point.target_offset + wanted <= size &&
               memcmp(bytes + sizeof point + point.target_offset, to, wanted) == 0;
    }
    free(to);
    free(bytes);
    return same;
}

} // namespace omnistasis::launcher
