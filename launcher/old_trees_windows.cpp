#include "old_trees_windows.h"

#include "files_windows.h"
#include "state_windows.h"

namespace omnistasis::launcher {

namespace {

constexpr uint64_t three_days = 3ull * 24 * 60 * 60 * 10000000;
constexpr size_t digits = 32; ///< of the tree's id, at the end of its name

} // namespace

void remove_old_trees(const Self& self, const TreePlace& place) {
    const wchar_t* name = wcsrchr(place.path, L'\\') + 1;
    size_t prefix = wcslen(name) - digits, folder = static_cast<size_t>(name - place.path) - 1;
    wchar_t* cache = wide_room(folder + 1);
    wcsncpy(cache, place.path, folder);
    wchar_t* pattern = wide_room(wcslen(place.path) + 4);
    wcscat(wcsncpy(pattern, place.path, folder + 1 + prefix), L"*");
    FILETIME now;
    GetSystemTimeAsFileTime(&now);
    each_fitting(pattern, [&](const WIN32_FIND_DATAW& found) {
        if (wcslen(found.cFileName) != prefix + digits || wcscmp(found.cFileName, name) == 0) return;
        if (wcsspn(found.cFileName + prefix, L"0123456789abcdef") != digits) return;
        wchar_t* old = joined(cache, found.cFileName);
        Found marker = look_at(joined(old, complete_marker));
        uint64_t last = marker.is_there ? marker.written : ticks(found.ftLastWriteTime);
        if (ticks(now) - last < three_days || !adopt_state(self, old)) return;
        wchar_t* away = joined(cache, concat(L".", found.cFileName, L".old"));
        // That fails where something runs from it.
        if (MoveFileExW(old, away, 0) != 0) remove_all(away);
    });
}

} // namespace omnistasis::launcher
