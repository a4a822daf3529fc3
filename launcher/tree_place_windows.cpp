#include "tree_place_windows.h"

#include "files_windows.h"
#include "sha256.h"
#include "unpack_windows.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

namespace omnistasis::launcher {

using namespace payload;

namespace {

constexpr const wchar_t* complete_marker = L".complete";

bool is_complete(const Self& self, const wchar_t* tree) {
    wchar_t* marker = wide_room(wcslen(tree) + 20);
    wcscat(wcscat(wcscpy(marker, tree), L"\\"), complete_marker);
    HANDLE file = CreateFileW(marker, GENERIC_READ, FILE_SHARE_READ | FILE_SHARE_DELETE, nullptr,
                              OPEN_EXISTING, 0, nullptr);
    free(marker);
    if (file == INVALID_HANDLE_VALUE) return false;
    uint8_t id[33];
    DWORD count = 0;
    bool same = ReadFile(file, id, sizeof id, &count, nullptr) != 0 && count == 32 &&
                memcmp(id, self.head.tree_id.data, 32) == 0;
    CloseHandle(file);
    return same;
}

bool write_marker(const Self& self, const wchar_t* tree) {
    wchar_t* marker = wide_room(wcslen(tree) + 20);
    wcscat(wcscat(wcscpy(marker, tree), L"\\"), complete_marker);
    HANDLE file = CreateFileW(marker, GENERIC_WRITE, 0, nullptr, CREATE_NEW, FILE_ATTRIBUTE_NORMAL, nullptr);
    free(marker);
    if (file == INVALID_HANDLE_VALUE) return false;
    bool written = write_at(file, self.head.tree_id.data, 32, 0);
    CloseHandle(file);
    return written;
}

/// Unpacks the tree below `cache`, once for all that start at this time. `tree` takes its path.
bool put_under_lock(const Self& self, const wchar_t* cache, const wchar_t* name, const wchar_t* tree,
                    Failure& failure) {
    wchar_t* lock_path = wide_room(wcslen(cache) + wcslen(name) + 12);
    wcscat(wcscat(wcscat(wcscpy(lock_path, cache), L"\\."), name), L".lock");
    HANDLE lock = CreateFileW(lock_path, GENERIC_READ | GENERIC_WRITE, FILE_SHARE_READ | FILE_SHARE_WRITE,
                              nullptr, OPEN_ALWAYS, FILE_ATTRIBUTE_NORMAL, nullptr);
    if (lock == INVALID_HANDLE_VALUE)
        return set(failure, exit_no_room, L"can't write into", without_mark(cache), GetLastError());
    OVERLAPPED range = {};
    LockFileEx(lock, LOCKFILE_EXCLUSIVE_LOCK, 0, 1, 0, &range);
    bool done = is_complete(self, tree);
    if (!done) {
        wchar_t* fresh = wide_room(wcslen(cache) + wcslen(name) + 12);
        wcscat(wcscat(wcscat(wcscpy(fresh, cache), L"\\."), name), L".new");
        remove_all(fresh);
        remove_all(tree);
        if (!is_rest_whole(self)) {
            set(failure, ReadError::damaged);
        } else if (CreateDirectoryW(fresh, nullptr) == 0) {
            set(failure, exit_no_room, L"can't write into", without_mark(cache), GetLastError());
        } else if (unpack(self, fresh, failure)) {
            done = write_marker(self, fresh);
            // Programs that look at new files may hold one of them for a moment.
            for (int attempt = 0; done && MoveFileExW(fresh, tree, 0) == 0; ++attempt) {
                DWORD reason = GetLastError();
                if (attempt == 50) {
                    done = set(failure, exit_no_room, L"can't write into", without_mark(cache), reason);
                    break;
                }
                Sleep(20);
            }
        }
        if (!done) remove_all(fresh);
        free(fresh);
    }
    UnlockFileEx(lock, 0, 1, 0, &range);
    CloseHandle(lock);
    free(lock_path);
    return done;
}

/// <application's name>-<the first 16 bytes of the tree's id>
wchar_t* name_of_tree(const Self& self) {
    size_t size = self.head.name.size < 100 ? self.head.name.size : 100;
    wchar_t* name = wide(reinterpret_cast<const char*>(self.head.name.data), size, 40);
    size_t length = wcslen(name);
    name[length++] = L'-';
    for (size_t i = 0; i < 16; ++i) _snwprintf(name + length + 2 * i, 3, L"%02x", self.head.tree_id.data[i]);
    return name;
}

/// The folders that may hold our own, in order of preference; null behind the last.
wchar_t* candidate(int number) {
    static const wchar_t* const names[] = {L"OMNISTASIS_CACHE", L"LOCALAPPDATA", L"TEMP"};
    if (number == 3) return nullptr;
    wchar_t* value = wide_room(longest_path);
    DWORD size = GetEnvironmentVariableW(names[number], value, longest_path);
    bool is_absolute = size > 2 && (value[1] == L':' || value[0] == L'\\');
    if (!is_absolute) value[0] = 0;
    return value;
}

} // namespace

bool provide_in_cache(const Self& self, wchar_t*& tree, Failure& failure) {
    wchar_t* name = name_of_tree(self);
    for (int number = 0;; ++number) {
        wchar_t* base = candidate(number);
        if (base == nullptr) break;
        if (base[0] == 0) continue;
        for (wchar_t* at = base; *at != 0; ++at)
            if (*at == L'/') *at = L'\\';
        wchar_t* cache = wide_room(wcslen(base) + 40);
        wcscat(wcscpy(cache, base), L"\\omnistasis\\x");
        wchar_t* marked = long_path(cache);
        make_folders_above(marked);
        *wcsrchr(marked, L'\\') = 0;
        tree = wide_room(wcslen(marked) + wcslen(name) + 2);
        wcscat(wcscat(wcscpy(tree, marked), L"\\"), name);
        if (is_complete(self, tree) || put_under_lock(self, marked, name, tree, failure)) return true;
        if (failure.exit_code == exit_damaged || number == 0) return false;
    }
    if (failure.exit_code == 0)
        set(failure, exit_no_room,
            L"no folder to unpack into: neither LOCALAPPDATA nor TEMP is set. Set OMNISTASIS_CACHE to a "
            L"folder that can be written",
            L"", 0);
    return false;
}

void find_beside(const Self& self, wchar_t*& tree) {
    const auto* folder = reinterpret_cast<const char*>(self.head.tree_folder.data);
    tree = wide_room(wcslen(self.path) + self.head.tree_folder.size + 12);
    wchar_t* marked = long_path(self.path);
    wcscpy(tree, marked);
    *wcsrchr(tree, L'\\') = 0;
    if (self.head.tree_folder.size >= 2 && memcmp(folder, "..", 2) == 0) {
        for (size_t up = 0; up < self.head.tree_folder.size; up += sizeof "../" - 1)
            *wcsrchr(tree, L'\\') = 0;
        return;
    }
    if (self.head.tree_folder.size == 1 && folder[0] == '.') return;
    wchar_t* inner = wide(folder, self.head.tree_folder.size);
    wcscat(wcscat(tree, L"\\"), inner);
}

bool check_tree(const Self& self, const wchar_t* tree, bool in_cache, Failure& failure) {
    if (!is_rest_whole(self)) return set(failure, ReadError::damaged);
    if (self.head.index_hash.size == 0) return true;
    Index index;
    if (!load_index(self, index, failure)) return false;
    File file;
    for (size_t at = 0; index.next_file(at, file);) {
        wchar_t* path = path_in(tree, file);
        HANDLE handle = CreateFileW(path, GENERIC_READ, FILE_SHARE_READ, nullptr, OPEN_EXISTING, 0, nullptr);
        LARGE_INTEGER size = {};
        bool right = handle != INVALID_HANDLE_VALUE && GetFileSizeEx(handle, &size) != 0 &&
                     static_cast<uint64_t>(size.QuadPart) == index.content_size(file.content);
        if (right && size.QuadPart > 0) {
            HANDLE mapping = CreateFileMappingW(handle, nullptr, PAGE_READONLY, 0, 0, nullptr);
            const void* bytes = mapping != nullptr ? MapViewOfFile(mapping, FILE_MAP_READ, 0, 0, 0) : nullptr;
            uint8_t digest[32] = {};
            if (bytes != nullptr) sha256(bytes, static_cast<size_t>(size.QuadPart), digest);
            right = bytes != nullptr && memcmp(digest, index.content_hash(file.content), 32) == 0;
            if (bytes != nullptr) UnmapViewOfFile(bytes);
            if (mapping != nullptr) CloseHandle(mapping);
        }
        if (handle != INVALID_HANDLE_VALUE) CloseHandle(handle);
        if (!right) {
            set(failure, exit_damaged, L"can't start: not what was built:", without_mark(path), 0);
            if (in_cache) wcsncat(failure.text, L". Remove its folder, and it is unpacked anew", 100);
            return false;
        }
        free(path);
    }
    return true;
}

} // namespace omnistasis::launcher
