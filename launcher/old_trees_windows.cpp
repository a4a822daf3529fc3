#include "old_trees_windows.h"

#include "files_windows.h"
#include "self_windows.h"

#include <stdlib.h>

namespace omnistasis::launcher {

using namespace payload;

void remove_old_trees(const wchar_t* tree) {
    const wchar_t* name = wcsrchr(tree, L'\\') + 1;
    size_t prefix = wcslen(name) - 32, folder = static_cast<size_t>(name - tree);
    wchar_t* pattern = wide_room(wcslen(tree) + 4);
    wcsncpy(pattern, tree, folder + prefix);
    wcscat(pattern, L"*");
    WIN32_FIND_DATAW found;
    HANDLE search = FindFirstFileW(pattern, &found);
    if (search == INVALID_HANDLE_VALUE) return;
    FILETIME now_time;
    GetSystemTimeAsFileTime(&now_time);
    auto ticks = [](const FILETIME& time) {
        return static_cast<uint64_t>(time.dwHighDateTime) << 32 | time.dwLowDateTime;
    };
    constexpr uint64_t three_days = 3ull * 24 * 60 * 60 * 10000000;
    do {
        if (wcslen(found.cFileName) != prefix + 32 || wcscmp(found.cFileName, name) == 0) continue;
        if (wcsspn(found.cFileName + prefix, L"0123456789abcdef") != 32) continue;
        if (ticks(now_time) - ticks(found.ftLastWriteTime) < three_days) continue;
        wchar_t* old = wide_room(folder + wcslen(found.cFileName) + 8);
        wchar_t* away = wide_room(folder + wcslen(found.cFileName) + 8);
        wcsncpy(old, tree, folder);
        wcscat(old, found.cFileName);
        wcsncpy(away, tree, folder);
        wcscat(wcscat(wcscat(away, L"."), found.cFileName), L".old");
        if (MoveFileExW(old, away, 0) != 0) remove_all(away);
        free(old);
        free(away);
    } while (FindNextFileW(search, &found) != 0);
    FindClose(search);
}

} // namespace omnistasis::launcher
