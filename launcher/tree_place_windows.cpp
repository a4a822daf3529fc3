#include "tree_place_windows.h"

#include "files_windows.h"
#include "rights_windows.h"
#include "sha256.h"
#include "state_windows.h"
#include "unpack_windows.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

namespace omnistasis::launcher {

using namespace payload;

namespace {

constexpr uint64_t a_day = 24ull * 60 * 60 * 10000000; ///< in ticks

/// The marker of a tree; INVALID_HANDLE_VALUE where it has none.
HANDLE open_marker(const wchar_t* tree, DWORD access) {
    wchar_t* marker = joined(tree, complete_marker);
    HANDLE file = CreateFileW(marker, access, FILE_SHARE_READ | FILE_SHARE_WRITE | FILE_SHARE_DELETE, nullptr,
                              OPEN_EXISTING, 0, nullptr);
    free(marker);
    return file;
}

/// Whether a file of the tree is the one of the index.
bool has_content(const wchar_t* path, const Index& index, uint32_t content) {
    HANDLE handle = CreateFileW(path, GENERIC_READ, FILE_SHARE_READ | FILE_SHARE_DELETE, nullptr,
                                OPEN_EXISTING, 0, nullptr);
    LARGE_INTEGER size = {};
    bool right = handle != INVALID_HANDLE_VALUE && GetFileSizeEx(handle, &size) != 0 &&
                 static_cast<uint64_t>(size.QuadPart) == index.content_size(content);
    if (right && size.QuadPart > 0) {
        HANDLE mapping = CreateFileMappingW(handle, nullptr, PAGE_READONLY, 0, 0, nullptr);
        const void* bytes = mapping != nullptr ? MapViewOfFile(mapping, FILE_MAP_READ, 0, 0, 0) : nullptr;
        uint8_t digest[32] = {};
        if (bytes != nullptr) sha256(bytes, static_cast<size_t>(size.QuadPart), digest);
        right = bytes != nullptr && memcmp(digest, index.content_hash(content), 32) == 0;
        if (bytes != nullptr) UnmapViewOfFile(bytes);
        if (mapping != nullptr) CloseHandle(mapping);
    }
    if (handle != INVALID_HANDLE_VALUE) CloseHandle(handle);
    return right;
}

/// How closely a tree is looked at before it is started from.
enum class Look : uint8_t {
    mark,   ///< at its mark alone: it was just put there
    usual,  ///< as is_complete says
    sizes,  ///< at each file's as well
    hashes, ///< at each file's as well
};

bool has_size(const wchar_t* path, uint64_t size) {
    WIN32_FILE_ATTRIBUTE_DATA data;
    return GetFileAttributesExW(path, GetFileExInfoStandard, &data) != 0 &&
           (data.dwFileAttributes & FILE_ATTRIBUTE_DIRECTORY) == 0 &&
           ((static_cast<uint64_t>(data.nFileSizeHigh) << 32) | data.nFileSizeLow) == size;
}

/// Whether each file of the index is in the tree; else `wrong` is the path of the first that is not.
bool has_files(const Index& index, const wchar_t* tree, Look look, const wchar_t*& wrong) {
    File file;
    for (size_t at = 0; index.next_file(at, file);) {
        wchar_t* path = path_in(tree, file);
        wrong = path;
        if (!(look == Look::sizes ? has_size(path, index.content_size(file.content))
                                  : has_content(path, index, file.content)))
            return false;
        free(path);
    }
    return true;
}

/// The same of the tree that belongs to the executable.
bool has_files(const Self& self, const wchar_t* tree, Look look) {
    Index index;
    Failure failure;
    const wchar_t* wrong = nullptr;
    return load_index(self, index, failure) && has_files(index, tree, look, wrong);
}

/// Whether the tree is there, complete, and made from this payload. On the first start of a day the sizes of
/// all files are looked at; who clears caches, or looks for viruses, may have taken some.
bool is_complete(const Self& self, Look look, TreePlace& place) {
    HANDLE file = open_marker(place.path, GENERIC_READ);
    if (file == INVALID_HANDLE_VALUE) return false;
    uint8_t id[33];
    DWORD count = 0;
    FILETIME last, now;
    bool same = ReadFile(file, id, sizeof id, &count, nullptr) != 0 && count == 32 &&
                memcmp(id, self.head.tree_id.data, 32) == 0;
    GetSystemTimeAsFileTime(&now);
    place.was_idle = same && GetFileTime(file, nullptr, nullptr, &last) != 0 &&
                     (ticks(now) - ticks(last) > a_day || ticks(now) < ticks(last));
    CloseHandle(file);
    if (place.was_idle && look == Look::usual) look = Look::sizes;
    if (same && (look == Look::sizes || look == Look::hashes)) same = has_files(self, place.path, look);
    if (!same || !place.was_idle) return same;
    file = open_marker(place.path, FILE_WRITE_ATTRIBUTES);
    if (file == INVALID_HANDLE_VALUE) return true;
    SetFileTime(file, nullptr, nullptr, &now);
    CloseHandle(file);
    return true;
}

bool write_marker(const Self& self, const wchar_t* tree) {
    wchar_t* marker = joined(tree, complete_marker);
    HANDLE file = CreateFileW(marker, GENERIC_WRITE, 0, nullptr, CREATE_NEW, FILE_ATTRIBUTE_NORMAL, nullptr);
    free(marker);
    if (file == INVALID_HANDLE_VALUE) return false;
    bool written = write_at(file, self.head.tree_id.data, 32, 0);
    CloseHandle(file);
    return written;
}

bool wrong_file(const wchar_t* path, Failure& failure) {
    return set(failure, exit_damaged, L"can't start: not what was built:", without_mark(path), 0);
}

/// Copies the tree in the folder `beside`; what was copied is compared with the index.
bool copy_tree(const Self& self, const wchar_t* beside, const wchar_t* tree, Failure& failure) {
    Index index;
    if (!load_index(self, index, failure)) return false;
    File file;
    for (size_t at = 0; index.next_file(at, file);) {
        wchar_t* from = path_in(beside, file);
        wchar_t* to = path_in(tree, file);
        make_folders_above(to);
        if (CopyFileW(from, to, TRUE) == 0)
            return set(failure, exit_no_room, L"can't copy the application's file", without_mark(from),
                       GetLastError());
        if (!has_content(to, index, file.content)) return wrong_file(from, failure);
        free(from);
        free(to);
    }
    return true;
}

/// Puts the tree into `cache`, once for all that start at this time.
bool put_under_lock(const Self& self, const wchar_t* cache, const wchar_t* name, const wchar_t* beside,
                    Look look, TreePlace& place, Failure& failure) {
    auto no_room = [&] {
        return set(failure, exit_no_room, L"can't write into", without_mark(cache), GetLastError());
    };
    LockedFile lock(cache, concat(L".", name, L".lock"));
    if (!lock.is_held()) return no_room();
    if (is_complete(self, look, place)) return true;
    if (!is_rest_whole(self)) return set(failure, ReadError::damaged);
    if (look_at(place.path).is_folder && !adopt_state(self, place.path))
        return set(failure, exit_no_room, L"can't keep what the application saved in its damaged tree",
                   without_mark(place.path), 0);
    wchar_t* fresh = joined(cache, concat(L".", name, L".new"));
    remove_all(fresh);
    remove_all(place.path);
    if (CreateDirectoryW(fresh, nullptr) == 0) return no_room();
    bool done =
        (beside == nullptr ? unpack(self, fresh, failure) : copy_tree(self, beside, fresh, failure)) &&
        write_marker(self, fresh);
    // Programs that look at new files may hold one of them for a moment.
    for (int attempt = 0; done && MoveFileExW(fresh, place.path, 0) == 0; ++attempt) {
        if (attempt == 50) {
            done = no_room();
            break;
        }
        Sleep(20);
    }
    if (!done) remove_all(fresh);
    place.was_idle = done;
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
    static const wchar_t* const names[] = {L"OMNISTASIS_CACHE", L"LOCALAPPDATA", L"TEMP", L"ProgramData"};
    constexpr int shared = 3; // where every user may make folders
    if (number > shared) return nullptr;
    wchar_t* value = wide_room(longest_path);
    DWORD size = GetEnvironmentVariableW(names[number], value, longest_path);
    bool is_absolute = size > 2 && (value[1] == L':' || value[0] == L'\\');
    if (!is_absolute || (number == shared && user_text()[0] == 0)) value[0] = 0;
    if (number != shared || value[0] == 0) return value;
    value = joined(value, concat(L"omnistasis-", user_text()));
    make_own_folder(value);
    return value;
}

} // namespace

namespace {

bool provide(const Self& self, const wchar_t* beside, Look look, TreePlace& place, Failure& failure) {
    wchar_t* name = name_of_tree(self);
    for (int number = 0;; ++number) {
        wchar_t* base = candidate(number);
        if (base == nullptr) break;
        if (base[0] == 0) continue;
        for (wchar_t* at = base; *at != 0; ++at)
            if (*at == L'/') *at = L'\\';
        wchar_t* cache = long_path(joined(base, L"omnistasis"));
        make_folders_above(cache);
        place = {joined(cache, name), true, beside, false};
        if (!make_own_folder(cache)) {
            set(failure, exit_no_room, L"can't write into", without_mark(cache), GetLastError());
        } else if (const wchar_t* step = changed_by_others(cache)) {
            set(failure, exit_no_room, L"can't unpack into", without_mark(cache), 0);
            wcsncat(failure.text, L": ", 3);
            if (step != cache) wcsncat(failure.text, without_mark(step), 200);
            wcsncat(failure.text,
                    step != cache ? L" can be changed by other users" : L"other users can change it", 60);
        } else if (is_complete(self, look, place) ||
                   put_under_lock(self, cache, name, beside, look, place, failure)) {
            return true;
        }
        if (failure.exit_code == exit_damaged || number == 0) return false;
    }
    if (failure.exit_code == 0)
        set(failure, exit_no_room,
            L"no folder to unpack into: neither LOCALAPPDATA nor TEMP is set. Set OMNISTASIS_CACHE to a "
            L"folder that can be written",
            L"", 0);
    return false;
}

} // namespace

bool provide_in_cache(const Self& self, const wchar_t* beside, TreePlace& place, Failure& failure) {
    return provide(self, beside, Look::usual, place, failure);
}

bool repair_in_cache(const Self& self, TreePlace& place, Failure& failure) {
    return !has_files(self, place.path, Look::hashes) &&
           provide(self, place.beside, Look::hashes, place, failure);
}

void find_beside(const Self& self, TreePlace& place) {
    wchar_t*& tree = place.path;
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

bool check_tree(const Self& self, const TreePlace& place, Failure& failure) {
    if (!is_rest_whole(self)) return set(failure, ReadError::damaged);
    if (self.head.index_hash.size == 0) return true;
    Index index;
    if (!load_index(self, index, failure)) return false;
    const wchar_t* wrong = nullptr;
    if (has_files(index, place.path, Look::hashes, wrong)) return true;
    wrong_file(wrong, failure);
    if (place.in_cache) wcsncat(failure.text, L". Remove its folder, and it is unpacked anew", 100);
    return false;
}

} // namespace omnistasis::launcher
