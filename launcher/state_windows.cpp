#include "state_windows.h"

#include "files_windows.h"
#include "junction_windows.h"
#include "rights_windows.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

namespace omnistasis::launcher {

namespace {

constexpr const wchar_t* lock_name = L".omnistasis.lock";
constexpr const wchar_t* trees_name = L".omnistasis.trees";
constexpr const wchar_t* led_folder = L".led"; ///< in a tree: more links to the files that it was led to

/// What SQLite keeps beside a database until its transaction is through ("Temporary Files Used By SQLite",
/// section 2). It is found by the name that the database was opened by, so it has to follow the database
/// from one tree to the next.
constexpr const wchar_t* companion_endings[] = {L"-journal", L"-wal", L"-shm"};

bool is_there(const wchar_t* path) { return GetFileAttributesW(path) != INVALID_FILE_ATTRIBUTES; }

/// Whether it went wrong as somebody has the file open.
bool is_in_use(DWORD reason) {
    return reason == ERROR_SHARING_VIOLATION || reason == ERROR_LOCK_VIOLATION ||
           reason == ERROR_ACCESS_DENIED || reason == ERROR_USER_MAPPED_FILE;
}

/// The user's data folder for this application; null where the system names none.
wchar_t* data_folder(const Self& self) {
    wchar_t* base = wide_room(longest_path);
    DWORD size = GetEnvironmentVariableW(L"LOCALAPPDATA", base, longest_path);
    if (size < 3 || size >= longest_path || (base[1] != L':' && base[0] != L'\\')) return nullptr;
    return joined(long_path(base),
                  wide(reinterpret_cast<const char*>(self.head.name.data), self.head.name.size));
}

/// Moves a folder, or a file, to a name that is free, also to another disk.
bool move_all(const wchar_t* from, const wchar_t* to) {
    if (MoveFileExW(from, to, 0) != 0) return true;
    if (GetLastError() != ERROR_NOT_SAME_DEVICE || !copy_all(from, concat(to, L".copying"), to)) return false;
    DeleteFileW(from);
    remove_all(from);
    return true;
}

/// Keeps what has to make room: as the first of `<path>.earlier`, `<path>.earlier-2`, ... that is free.
bool keep_aside(const wchar_t* from, const wchar_t* path) {
    wchar_t* name = concat(path, L".earlier-10000");
    _snwprintf(name + wcslen(path), 9, L".earlier");
    for (int number = 2; is_there(name) && number < 10000; ++number)
        _snwprintf(name + wcslen(path), 14, L".earlier-%d", number);
    return move_all(from, name);
}

/// One path of the state: its place in a tree, and its content in the data folder.
class Led {
  public:
    Led(const State& state, const wchar_t* tree, const wchar_t* data)
        : is_folder_(state.is_folder), place_(path_in(tree, state.place)),
          content_(path_in(data, state.path)), led_(path_in(joined(tree, led_folder), state.path)),
          initial_(path_in(path_in(tree, initial_state_folder), state.path)) {}

    /// Whether the place leads to the content, or the application has not made either yet.
    bool is_right() const {
        if (is_folder_) return leads_to(place_, content_) ? is_there(content_) : is_held_in_place();
        Found in_place = look_at(place_), kept = look_at(content_);
        return in_place.is_same_as(kept) || (!in_place.is_there && !kept.is_there && !is_there(initial_))
                   ? !has_companions(content_)
                   : false;
    }

    /// Whether there is something in the place that another version has to take over.
    bool has_own() const {
        if (is_folder_) return is_there(place_) && !is_junction(place_);
        Found in_place = look_at(place_);
        if (!in_place.is_there) return false;
        Found kept = look_at(content_);
        return in_place.is_same_as(kept) ? has_companions(place_) : !is_outdated(in_place, kept);
    }

    /// What the application put in the place becomes the content, or is kept beside a newer one. Where
    /// somebody has one of them open it is left for the next start. False with the system's error.
    bool take_over() const {
        Found in_place = look_at(place_), kept = look_at(content_);
        if (!in_place.is_there || in_place.is_link || in_place.is_same_as(kept)) return true;
        if (!kept.is_there) {
            make_folders_above(content_);
            return in_place.is_folder ? move_all(place_, content_)
                                      : CreateHardLinkW(content_, place_, nullptr) != 0 && mark_led();
        }
        if (is_outdated(in_place, kept)) return DeleteFileW(place_) != 0 || is_in_use(GetLastError());
        if (kept.written > in_place.written) return keep_aside(place_, content_) || is_in_use(GetLastError());
        if (kept.is_folder || in_place.is_folder)
            return (keep_aside(content_, content_) && move_all(place_, content_)) ||
                   is_in_use(GetLastError());
        wchar_t* taken = concat(content_, L".taken");
        DeleteFileW(taken);
        if (CreateHardLinkW(taken, place_, nullptr) == 0) return false;
        bool replaced = MoveFileExW(taken, content_, MOVEFILE_REPLACE_EXISTING) != 0;
        DWORD reason = GetLastError();
        DeleteFileW(taken);
        if (replaced) return mark_led();
        SetLastError(reason);
        return is_in_use(reason);
    }

    /// Makes the place lead to the content, which gets its initial one where there is none.
    bool lead() const {
        if (is_folder_) return lead_folder();
        if (!take_over() || !fill(content_)) return false;
        if (is_there(place_) || !is_there(content_)) return true;
        make_folders_above(place_);
        return CreateHardLinkW(place_, content_, nullptr) != 0 && mark_led();
    }

    /// Moves what SQLite left beside the place to the content, from where the next that leads there takes it.
    /// False where somebody works on it, also after a while.
    bool park_companions() const {
        return is_folder_ || !look_at(place_).is_same_as(look_at(content_)) ||
               move_companions(place_, content_);
    }
    bool fetch_companions() const { return is_folder_ || move_companions(content_, place_); }

    bool is_folder() const { return is_folder_; }
    const wchar_t* content() const { return content_; }

  private:
    /// Remembers which file the place led to. When another tree's application has replaced the content, the
    /// old one is still in this place, and must not be taken for something that was saved there.
    bool mark_led() const {
        DeleteFileW(led_);
        make_folders_above(led_);
        return CreateHardLinkW(led_, place_, nullptr) != 0;
    }
    bool is_outdated(const Found& in_place, const Found& kept) const {
        return kept.written >= in_place.written && in_place.is_same_as(look_at(led_));
    }

    static bool has_companions(const wchar_t* path) {
        bool any = false;
        for (const wchar_t* ending : companion_endings) any |= is_there(concat(path, ending));
        return any;
    }

    static bool move_companions(const wchar_t* from, const wchar_t* to) {
        constexpr int most_attempts = 50, pause = 20; // milliseconds
        for (const wchar_t* ending : companion_endings) {
            const wchar_t* companion = concat(from, ending);
            for (int attempt = 0; is_there(companion); ++attempt) {
                if (MoveFileExW(companion, concat(to, ending), 0) != 0) break;
                if (attempt == most_attempts) return false;
                Sleep(pause);
            }
        }
        return true;
    }

    /// On disks without junctions a folder lies in the tree itself, in that which was started last.
    bool is_held_in_place() const { return is_there(place_) && !is_junction(place_) && !is_there(content_); }

    bool fill(wchar_t* to) const {
        if (is_there(to)) return true;
        bool has_initial = is_there(initial_);
        if (!has_initial && !is_folder_) return true;
        make_folders_above(to);
        return has_initial ? copy_all(initial_, concat(to, L".new"), to) : CreateDirectoryW(to, nullptr) != 0;
    }

    bool lead_folder() const {
        if (is_junction(place_)) RemoveDirectoryW(place_);
        wchar_t* link = concat(place_, L".link");
        RemoveDirectoryW(link);
        make_folders_above(link);
        if (make_junction(link, content_)) {
            if (take_over() && fill(content_) && MoveFileExW(link, place_, 0) != 0) return true;
            DWORD reason = GetLastError();
            RemoveDirectoryW(link);
            SetLastError(reason);
            return false;
        }
        DWORD reason = GetLastError();
        if (reason != ERROR_NOT_SUPPORTED && reason != ERROR_INVALID_FUNCTION) return false;
        if (!is_there(content_)) return fill(place_);
        return take_over() && move_all(content_, place_);
    }

    bool is_folder_;
    wchar_t* place_;
    wchar_t* content_;
    wchar_t* led_;
    wchar_t* initial_;
};

/// The trees, of whatever version and form, that have led here, one path a line.
struct KnownTrees {
    static constexpr size_t most = 32 << 10;
    char text[most] = {};

    void read(const wchar_t* data) {
        HANDLE file = CreateFileW(joined(data, trees_name), GENERIC_READ,
                                  FILE_SHARE_READ | FILE_SHARE_WRITE | FILE_SHARE_DELETE, nullptr,
                                  OPEN_EXISTING, 0, nullptr);
        DWORD size = 0;
        if (file == INVALID_HANDLE_VALUE || ReadFile(file, text, most - 1, &size, nullptr) == 0) size = 0;
        if (file != INVALID_HANDLE_VALUE) CloseHandle(file);
        text[size] = 0;
    }

    /// Calls `take` with each that is there, but for `tree`.
    template <typename Take> void each_other(const wchar_t* tree, Take take) const {
        for (const char* line = text; *line != 0;) {
            size_t length = strcspn(line, "\n");
            if (line[length] == 0) break;
            wchar_t* path = wide(line, length);
            if (_wcsicmp(path, tree) != 0 && is_there(path)) take(path);
            line += length + 1;
        }
    }

    /// Writes those that are there still, and `tree`.
    void write(const wchar_t* data, const wchar_t* tree) const {
        static char now[most];
        size_t size = 0;
        auto add = [&](const wchar_t* path) {
            int count = WideCharToMultiByte(CP_UTF8, 0, path, -1, now + size, static_cast<int>(most - size),
                                            nullptr, nullptr);
            if (count == 0) return;
            size += static_cast<size_t>(count);
            now[size - 1] = '\n';
        };
        add(tree);
        each_other(tree, add);
        wchar_t* temporary = concat(joined(data, trees_name), L".new");
        HANDLE file =
            CreateFileW(temporary, GENERIC_WRITE, 0, nullptr, CREATE_ALWAYS, FILE_ATTRIBUTE_NORMAL, nullptr);
        if (file == INVALID_HANDLE_VALUE) return;
        write_at(file, reinterpret_cast<const uint8_t*>(now), size, 0);
        CloseHandle(file);
        MoveFileExW(temporary, joined(data, trees_name), MOVEFILE_REPLACE_EXISTING);
    }
};

/// Calls `take` with each path of the state, until it gives false; whether none did.
template <typename Take>
bool each_led(const Self& self, const wchar_t* tree, const wchar_t* data, Take take) {
    State state;
    for (size_t at = 0; next_state(self.head, at, state);)
        if (!take(Led(state, tree, data))) return false;
    return true;
}

/// The data folder, made where it is missing, as one that nobody else gets into.
bool open_data_folder(wchar_t* data, Failure& failure) {
    make_folders_above(data);
    if (!make_own_folder(data))
        return set(failure, exit_no_room, L"can't keep the application's data in", without_mark(data),
                   GetLastError());
    const wchar_t* step = changed_by_others(data);
    if (step == nullptr) return true;
    set(failure, exit_no_room, L"can't keep the application's data in", without_mark(step), 0);
    wcsncat(failure.text, L": it is not the user's own, or others can change it", 100);
    return false;
}

} // namespace

StateResult provide_state(const Self& self, const wchar_t* tree, bool in_cache, Failure& failure) {
    wchar_t* data = data_folder(self);
    if (data == nullptr) {
        set(failure, exit_no_room, L"there is no folder for the application's data: LOCALAPPDATA is not set",
            L"", 0);
        return StateResult::failed;
    }
    static KnownTrees trees;
    trees.read(data);
    bool all = each_led(self, tree, data, [](const Led& one) { return one.is_right(); });
    trees.each_other(tree, [&](const wchar_t* other) {
        all = all && each_led(self, other, data, [](const Led& one) { return !one.has_own(); });
    });
    if (all) return StateResult::ready;
    // What leads to one user's data would lead others astray.
    if (!in_cache && !is_users_own(tree)) return StateResult::tree_is_fixed;
    if (!open_data_folder(data, failure)) return StateResult::failed;
    LockedFile lock(data, lock_name);
    bool parked = true;
    trees.each_other(tree, [&](const wchar_t* other) {
        if (!is_users_own(other)) return;
        parked = each_led(self, other, data,
                          [](const Led& one) {
                              if (one.has_own()) one.take_over();
                              return one.park_companions();
                          }) &&
                 parked;
    });
    if (!parked) {
        set(failure, exit_no_room,
            L"another version of this application is running and works on its data. End it first", L"", 0);
        return StateResult::failed;
    }
    StateResult result = StateResult::ready;
    each_led(self, tree, data, [&](const Led& one) {
        // Beside the launcher, what could not be taken away may be another user's link.
        if (one.is_right() || (one.lead() && one.fetch_companions() && (in_cache || one.is_right())))
            return true;
        DWORD reason = GetLastError();
        set(failure, exit_no_room, L"can't lead to the application's data in", without_mark(one.content()),
            reason);
        if (reason == ERROR_NOT_SAME_DEVICE && in_cache)
            wcsncat(failure.text, L". OMNISTASIS_CACHE has to be on the same disk", 100);
        result = in_cache ? StateResult::failed : StateResult::tree_is_fixed;
        return false;
    });
    if (result == StateResult::ready) trees.write(data, tree);
    return result;
}

void keep_state(const Self& self, const wchar_t* tree) {
    wchar_t* data = self.head.state.size == 0 ? nullptr : data_folder(self);
    if (data == nullptr ||
        each_led(self, tree, data, [](const Led& one) { return one.is_folder() || !one.has_own(); }))
        return;
    LockedFile lock(data, lock_name);
    each_led(self, tree, data, [](const Led& one) {
        if (!one.is_folder()) one.take_over();
        return true;
    });
}

bool adopt_state(const Self& self, const wchar_t* tree) {
    if (self.head.state.size == 0) return true;
    wchar_t* data = data_folder(self);
    Failure failure;
    if (data == nullptr || each_led(self, tree, data, [](const Led& one) { return !one.has_own(); }))
        return data != nullptr;
    if (!open_data_folder(data, failure)) return false;
    LockedFile lock(data, lock_name);
    return each_led(self, tree, data, [](const Led& one) {
        return one.take_over() && one.park_companions() && !one.has_own();
    });
}

} // namespace omnistasis::launcher
