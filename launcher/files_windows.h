// Files and folders of the tree.
#pragma once

#include "self_windows.h"

#include <stdlib.h>

namespace omnistasis::launcher {

void make_folders_above(wchar_t* path);

/// `folder\name`.
inline wchar_t* joined(const wchar_t* folder, const wchar_t* name) { return concat(folder, L"\\", name); }

inline uint64_t ticks(const FILETIME& time) {
    return static_cast<uint64_t>(time.dwHighDateTime) << 32 | time.dwLowDateTime;
}

/// Calls `take` with each that fits a pattern, which may have `*` in its last part.
template <typename Take> void each_fitting(const wchar_t* pattern, Take take) {
    WIN32_FIND_DATAW found;
    HANDLE search = FindFirstFileW(pattern, &found);
    if (search == INVALID_HANDLE_VALUE) return;
    do {
        if (wcscmp(found.cFileName, L".") != 0 && wcscmp(found.cFileName, L"..") != 0) take(found);
    } while (FindNextFileW(search, &found) != 0);
    FindClose(search);
}

/// The same of each in a folder.
template <typename Take> void each_entry(const wchar_t* folder, Take take) {
    wchar_t* pattern = joined(folder, L"*");
    each_fitting(pattern, take);
    free(pattern);
}

/// A file of the index below `tree`; null where there is not enough memory.
wchar_t* path_in(const wchar_t* tree, const payload::File& file);

/// Opens a file of the tree to be written, and makes the folders above it. INVALID_HANDLE_VALUE where it
/// can't.
HANDLE open_in_tree(const wchar_t* tree, const payload::File& file);

bool write_at(HANDLE file, const uint8_t* data, size_t size, uint64_t offset);

/// A path in a folder, given as the payload has them.
wchar_t* path_in(const wchar_t* folder, const char* path);

/// What is at a path; a link is looked at itself.
struct Found {
    bool is_there = false, is_folder = false, is_link = false;
    uint64_t written = 0; ///< when, in ticks of 100 ns
    uint64_t number = 0;  ///< of the file, on its disk
    DWORD disk = 0;

    bool is_same_as(const Found& other) const {
        return is_there && other.is_there && number == other.number && disk == other.disk;
    }
};
Found look_at(const wchar_t* path);

/// Copies a file, or a folder with what is in it, to a name that is free; links are passed over. `temporary`
/// is the new content's name until it is whole. False with the system's error.
bool copy_all(const wchar_t* from, const wchar_t* temporary, const wchar_t* to);

/// Holds the file `name` in a folder locked for this process alone, made where it is missing, while it lives.
class LockedFile {
  public:
    LockedFile(const wchar_t* folder, const wchar_t* name);
    LockedFile(const LockedFile&) = delete;
    ~LockedFile();
    bool is_held() const { return file_ != INVALID_HANDLE_VALUE; }

  private:
    HANDLE file_;
};

/// A folder with all in it; links are removed, and not followed.
void remove_all(const wchar_t* path);

} // namespace omnistasis::launcher
