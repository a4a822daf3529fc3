// The first thing in every application for Windows: finds the tree that belongs to it (next to it, or
// unpacked once from its own end) and starts the program in there, with the same standard streams, and ends
// with its exit code. Paths are UTF-16 and begin with `\\?\` where files are opened, so that they may be
// longer than 260 characters.
#include "payload_reader.h"
#include "sha256.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <wchar.h>
#include <windows.h>
#include <zstd.h>

namespace omnistasis::launcher {

namespace {

using namespace payload;

constexpr int exit_no_room = 121;
constexpr int exit_damaged = 122;
constexpr int exit_no_start = 123;
constexpr size_t longest_path = 32768; ///< what the system takes
constexpr unsigned most_threads = 16;
constexpr const wchar_t* complete_marker = L".complete";

struct WindowSlot {
    char mark[sizeof window_mark - 1];
    uint8_t is_window;
};

/// Filled in when an application is built; the compiler must not believe that it knows the content.
volatile const WindowSlot window_slot = {
    {'O', 'M', 'N', 'I', 'S', 'T', 'A', 'S', 'I', 'S', '-', 'W', 'I', 'N', 'D', 'O', 'W', ':'}, 0};

bool is_window() { return window_slot.is_window == 1; }

wchar_t* wide_room(size_t count) { return static_cast<wchar_t*>(calloc(count, sizeof(wchar_t))); }

/// A UTF-8 text as UTF-16, with room for `extra` more units behind it.
wchar_t* wide(const char* text, size_t size, size_t extra = 0) {
    int units = MultiByteToWideChar(CP_UTF8, 0, text, static_cast<int>(size), nullptr, 0);
    wchar_t* result = wide_room(static_cast<size_t>(units) + extra + 1);
    if (result != nullptr) MultiByteToWideChar(CP_UTF8, 0, text, static_cast<int>(size), result, units);
    return result;
}

/// The last part of the path of the running program.
const wchar_t* own_name(const wchar_t* path) {
    const wchar_t* slash = wcsrchr(path, L'\\');
    return slash != nullptr ? slash + 1 : path;
}

struct Failure {
    int exit_code = 0;
    wchar_t text[700] = {};
};

/// "what where: the system's reason", the last only with an error number. False.
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

/// Says why the application does not start; in window mode to somebody without a terminal.
[[noreturn]] void stop(const wchar_t* path, const Failure& failure) {
    wchar_t text[1000];
    int size = _snwprintf(text, 999, L"%ls: %ls\n", own_name(path), failure.text);
    if (is_window()) {
        MessageBoxW(nullptr, failure.text, own_name(path), MB_OK | MB_ICONERROR);
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

/// The running executable, mapped.
struct Self {
    wchar_t* path = nullptr; ///< absolute, as the system says it, without `\\?\`
    const uint8_t* bytes = nullptr;
    uint64_t size = 0;
    Trailer trailer;
    Head head;
};

/// A path with the mark that lets it be long.
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
    return error == ReadError::none || set(failure, error);
}

/// Whether what no start reads is what the head says. The checksum of the file as a whole, which is in its
/// header, is not part of what was hashed.
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

// Files of the tree.

void make_folders_above(wchar_t* path) {
    for (wchar_t* at = path + 7; (at = wcschr(at, L'\\')) != nullptr; ++at) {
        *at = 0;
        CreateDirectoryW(path, nullptr);
        *at = L'\\';
    }
}

/// A file of the index below `tree`; null where there is not enough memory.
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

// Unpacking.

struct Job {
    const Self* self = nullptr;
    const Index* index = nullptr;
    const File* files = nullptr;       ///< by content number
    uint64_t* content_start = nullptr; ///< in the stream of contents; one more entry than contents
    uint64_t* block_start = nullptr;
    uint32_t* first_file = nullptr; ///< of each content; one more entry than contents
    const wchar_t* tree = nullptr;
    volatile LONG next_block = 0;
    volatile LONG error_number = 0;
    volatile LONG error = static_cast<LONG>(ReadError::none);
};

bool write_content(const Job& job, uint32_t number, const uint8_t* raw, uint64_t start, uint64_t end) {
    uint64_t from = job.content_start[number] > start ? job.content_start[number] : start;
    uint64_t to = job.content_start[number + 1] < end ? job.content_start[number + 1] : end;
    for (uint32_t i = job.first_file[number]; i < job.first_file[number + 1]; ++i) {
        HANDLE file = open_in_tree(job.tree, job.files[i]);
        if (file == INVALID_HANDLE_VALUE) return false;
        bool written = write_at(file, raw + (from - start), static_cast<size_t>(to - from),
                                from - job.content_start[number]);
        DWORD reason = GetLastError();
        CloseHandle(file);
        SetLastError(reason);
        if (!written) return false;
    }
    return true;
}

DWORD WINAPI unpack_blocks(void* argument) {
    Job& job = *static_cast<Job*>(argument);
    auto* raw = static_cast<uint8_t*>(malloc(largest_block));
    ZSTD_DCtx* context = ZSTD_createDCtx();
    if (raw == nullptr || context == nullptr) job.error_number = ERROR_OUTOFMEMORY;
    while (job.error_number == 0 && job.error == static_cast<LONG>(ReadError::none)) {
        auto number = static_cast<uint32_t>(InterlockedIncrement(&job.next_block) - 1);
        if (number >= job.index->block_count()) break;
        Block block = job.index->block(number);
        if (ReadError error = unpack_block(job.self->bytes + block.offset, block, raw, context);
            error != ReadError::none) {
            job.error = static_cast<LONG>(error);
            break;
        }
        uint64_t start = job.block_start[number], end = start + block.raw_size;
        uint32_t low = 0, high = job.index->content_count();
        while (low < high) {
            uint32_t middle = low + (high - low) / 2;
            if (job.content_start[middle + 1] <= start)
                low = middle + 1;
            else
                high = middle;
        }
        for (uint32_t content = low; content < job.index->content_count() && job.content_start[content] < end;
             ++content)
            if (!write_content(job, content, raw, start, end)) {
                job.error_number = static_cast<LONG>(GetLastError());
                break;
            }
    }
    ZSTD_freeDCtx(context);
    free(raw);
    return 0;
}

int by_content(const void* left, const void* right) {
    uint32_t a = static_cast<const File*>(left)->content, b = static_cast<const File*>(right)->content;
    return a < b ? -1 : a > b;
}

bool unpack(const Self& self, const wchar_t* tree, Failure& failure) {
    Index index;
    if (!load_index(self, index, failure)) return false;
    uint32_t contents = index.content_count(), blocks = index.block_count(), count = index.file_count();
    auto* files = static_cast<File*>(calloc(count + 1, sizeof(File)));
    Job job;
    job.self = &self;
    job.index = &index;
    job.files = files;
    job.tree = tree;
    job.content_start = static_cast<uint64_t*>(calloc(contents + 1, sizeof(uint64_t)));
    job.block_start = static_cast<uint64_t*>(calloc(blocks + 1, sizeof(uint64_t)));
    job.first_file = static_cast<uint32_t*>(calloc(contents + 2, sizeof(uint32_t)));
    if (files == nullptr || job.content_start == nullptr || job.block_start == nullptr ||
        job.first_file == nullptr)
        return set(failure, exit_no_room, L"there is not enough memory", L"", 0);
    size_t at = 0;
    for (uint32_t i = 0; i < count; ++i) index.next_file(at, files[i]);
    qsort(files, count, sizeof(File), by_content);
    for (uint32_t i = 0; i < contents; ++i)
        job.content_start[i + 1] = job.content_start[i] + index.content_size(i);
    for (uint32_t i = 0; i < blocks; ++i)
        job.block_start[i + 1] = job.block_start[i] + index.block(i).raw_size;
    for (uint32_t i = 0, file = 0; i <= contents; ++i) {
        job.first_file[i] = file;
        while (file < count && files[file].content == i) ++file;
    }
    // Empty files are in no block.
    for (uint32_t i = 0; i < count; ++i) {
        if (index.content_size(files[i].content) > 0) continue;
        HANDLE file = open_in_tree(tree, files[i]);
        if (file == INVALID_HANDLE_VALUE)
            return set(failure, exit_no_room, L"can't unpack the application", L"", GetLastError());
        CloseHandle(file);
    }
    SYSTEM_INFO system;
    GetSystemInfo(&system);
    unsigned wanted =
        system.dwNumberOfProcessors < 1 ? 1 : static_cast<unsigned>(system.dwNumberOfProcessors);
    if (wanted > most_threads) wanted = most_threads;
    if (wanted > blocks) wanted = blocks;
    HANDLE threads[most_threads];
    unsigned started = 0;
    for (; started + 1 < wanted; ++started)
        if ((threads[started] = CreateThread(nullptr, 0, unpack_blocks, &job, 0, nullptr)) == nullptr) break;
    unpack_blocks(&job);
    for (unsigned i = 0; i < started; ++i) WaitForSingleObject(threads[i], INFINITE);
    if (job.error != static_cast<LONG>(ReadError::none))
        return set(failure, static_cast<ReadError>(job.error));
    if (job.error_number != 0)
        return set(failure, exit_no_room, L"can't unpack the application", L"",
                   static_cast<DWORD>(job.error_number));
    return true;
}

// Where the tree is.

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

/// Compares each file of the tree with the payload's index.
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
    wchar_t* value = wide_room(longest_path);
    if (number == 3) return nullptr;
    DWORD size = GetEnvironmentVariableW(names[number], value, longest_path);
    bool is_absolute = size > 2 && (value[1] == L':' || value[0] == L'\\');
    if (!is_absolute) value[0] = 0;
    return value;
}

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
            L"folder "
            L"that can be written",
            L"", 0);
    return false;
}

/// The folder layout's tree, next to the launcher; or, for a launcher inside the tree, a folder above it.
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
    wchar_t* inner = wide(folder, self.head.tree_folder.size);
    wcscat(wcscat(tree, L"\\"), inner);
}

// Starting the program.

/// A text that grows; units of UTF-16.
struct Text {
    wchar_t* data = nullptr;
    size_t size = 0, room = 0;
    void add(const wchar_t* text, size_t count) {
        if (size + count + 1 > room) {
            room = (size + count + 1) * 2;
            data = static_cast<wchar_t*>(realloc(data, room * sizeof(wchar_t)));
        }
        memcpy(data + size, text, count * sizeof(wchar_t));
        size += count;
        data[size] = 0;
    }
    void add(const wchar_t* text) { add(text, wcslen(text)); }
};

/// One argument as CommandLineToArgvW and the C runtime read it: backslashes count only in front of a quote.
void add_argument(Text& line, const wchar_t* argument) {
    if (line.size > 0) line.add(L" ");
    if (argument[0] != 0 && wcspbrk(argument, L" \t\n\v\"") == nullptr) return line.add(argument);
    line.add(L"\"");
    for (const wchar_t* at = argument;; ++at) {
        size_t backslashes = 0;
        for (; *at == L'\\'; ++at) ++backslashes;
        size_t written = *at == 0 ? 2 * backslashes : *at == L'"' ? 2 * backslashes + 1 : backslashes;
        for (size_t i = 0; i < written; ++i) line.add(L"\\");
        if (*at == 0) break;
        line.add(at, 1);
    }
    line.add(L"\"");
}

/// What stands behind the program's own name on the command line, as the user wrote it.
const wchar_t* users_arguments() {
    const wchar_t* at = GetCommandLineW();
    bool quoted = false;
    for (; *at != 0 && (quoted || (*at != L' ' && *at != L'\t')); ++at)
        if (*at == L'"') quoted = !quoted;
    while (*at == L' ' || *at == L'\t') ++at;
    return at;
}

/// The environment, with the variables under another name that would change what the program loads; null
/// where it stays as it is.
wchar_t* changed_environment(const Self& self) {
    Bytes names = self.head.kept_variables;
    if (names.size == 0) return nullptr;
    wchar_t* before = GetEnvironmentStringsW();
    Text text;
    const auto* end = reinterpret_cast<const char*>(names.data) + names.size;
    for (const wchar_t* one = before; *one != 0; one += wcslen(one) + 1) {
        for (const auto* name = reinterpret_cast<const char*>(names.data); name < end;
             name += strlen(name) + 1) {
            wchar_t* wanted = wide(name, strlen(name));
            size_t size = wcslen(wanted);
            bool same = _wcsnicmp(one, wanted, size) == 0 && one[size] == L'=';
            free(wanted);
            if (!same) continue;
            text.add(L"OMNISTASIS_KEPT_");
            break;
        }
        text.add(one, wcslen(one) + 1);
    }
    text.add(L"", 1);
    FreeEnvironmentStringsW(before);
    return text.data;
}

BOOL WINAPI leave_to_program(DWORD) {
    // The program in the tree has got it too; how that ends is how we end.
    return TRUE;
}

wchar_t* filled_in(const char* text, const wchar_t* tree, const wchar_t* called_as) {
    if (strcmp(text, "{self}") == 0) return const_cast<wchar_t*>(called_as);
    bool in_tree = strncmp(text, "{tree}", 6) == 0;
    wchar_t* rest = wide(text + (in_tree ? 6 : 0), strlen(text + (in_tree ? 6 : 0)));
    if (!in_tree) return rest;
    wchar_t* result = wide_room(wcslen(tree) + wcslen(rest) + 1);
    wcscat(wcscpy(result, tree), rest);
    for (wchar_t* at = result; *at != 0; ++at)
        if (*at == L'/') *at = L'\\';
    return result;
}

/// Programs read paths without the mark, and many none that is long: of a long one the system's short form is
/// given, where the disk has such, else the whole with its mark.
const wchar_t* as_shown(const wchar_t* path) {
    constexpr size_t comfortable = 160; // with the names in the tree behind it that is below 260
    const wchar_t* plain = without_mark(path);
    if (wcslen(plain) < comfortable) return plain;
    wchar_t* in_short = wide_room(longest_path);
    DWORD size = GetShortPathNameW(path, in_short, longest_path);
    bool helps = size > 0 && size < longest_path && wcslen(without_mark(in_short)) < wcslen(plain);
    return helps ? without_mark(in_short) : path;
}

int run_program(const Self& self, const wchar_t* marked_tree, Failure& failure) {
    const wchar_t* tree = as_shown(marked_tree);
    const auto* start = reinterpret_cast<const char*>(self.head.start.data);
    const char* end = start + self.head.start.size;
    char in_tree[4096];
    snprintf(in_tree, sizeof in_tree, "{tree}/%s", start);
    wchar_t* program = filled_in(in_tree, tree, self.path);
    Text line;
    add_argument(line, program);
    for (const char* at = start + strlen(start) + 1; at < end; at += strlen(at) + 1) {
        if (strcmp(at, "{arguments}") == 0) {
            const wchar_t* users = users_arguments();
            if (*users != 0) line.add(L" ");
            line.add(users);
        } else {
            add_argument(line, filled_in(at, tree, self.path));
        }
    }
    wchar_t* folder = nullptr;
    if (self.head.working_folder.size > 0) {
        snprintf(in_tree, sizeof in_tree, "{tree}/%.*s", static_cast<int>(self.head.working_folder.size),
                 reinterpret_cast<const char*>(self.head.working_folder.data));
        folder = filled_in(in_tree, tree, self.path);
    }
    // What it starts ends with us, however we end.
    HANDLE job = CreateJobObjectW(nullptr, nullptr);
    JOBOBJECT_EXTENDED_LIMIT_INFORMATION limits = {};
    limits.BasicLimitInformation.LimitFlags =
        JOB_OBJECT_LIMIT_KILL_ON_JOB_CLOSE | JOB_OBJECT_LIMIT_BREAKAWAY_OK;
    if (job != nullptr)
        SetInformationJobObject(job, JobObjectExtendedLimitInformation, &limits, sizeof limits);
    STARTUPINFOW startup = {};
    GetStartupInfoW(&startup);
    startup.cb = sizeof startup;
    startup.lpReserved2 = nullptr;
    startup.cbReserved2 = 0;
    startup.dwFlags |= STARTF_USESTDHANDLES;
    startup.hStdInput = GetStdHandle(STD_INPUT_HANDLE);
    startup.hStdOutput = GetStdHandle(STD_OUTPUT_HANDLE);
    startup.hStdError = GetStdHandle(STD_ERROR_HANDLE);
    const HANDLE streams[] = {startup.hStdInput, startup.hStdOutput, startup.hStdError};
    for (HANDLE stream : streams)
        if (stream != nullptr && stream != INVALID_HANDLE_VALUE)
            SetHandleInformation(stream, HANDLE_FLAG_INHERIT, HANDLE_FLAG_INHERIT);
    DWORD flags = CREATE_UNICODE_ENVIRONMENT | CREATE_SUSPENDED;
    if (is_window()) flags |= CREATE_NO_WINDOW;
    SetConsoleCtrlHandler(leave_to_program, TRUE);
    PROCESS_INFORMATION process = {};
    if (CreateProcessW(program, line.data, nullptr, nullptr, TRUE, flags, changed_environment(self), folder,
                       &startup, &process) == 0) {
        set(failure, exit_no_start, L"can't start", program, GetLastError());
        return -1;
    }
    if (job != nullptr) AssignProcessToJobObject(job, process.hProcess);
    ResumeThread(process.hThread);
    WaitForSingleObject(process.hProcess, INFINITE);
    DWORD code = 0;
    GetExitCodeProcess(process.hProcess, &code);
    ExitProcess(code);
}

/// A user's other versions of the application that nothing runs from: a program that runs can't be removed,
/// so what can be renamed is not in use.
void remove_old_trees(const Self& self, const wchar_t* tree) {
    const wchar_t* name = wcsrchr(tree, L'\\') + 1;
    size_t prefix = wcslen(name) - 32, folder = static_cast<size_t>(name - tree);
    wchar_t* pattern = wide_room(wcslen(tree) + 4);
    wcsncpy(pattern, tree, folder + prefix);
    wcscat(pattern, L"*");
    (void)self;
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

int run() {
    static Self self;
    Failure failure;
    if (auto error = open_self(self); error != ReadError::none) {
        set(failure, error);
        stop(self.path, failure);
    }
    bool beside = self.head.tree_folder.size > 0;
    wchar_t* tree = nullptr;
    if (beside)
        find_beside(self, tree);
    else if (!provide_in_cache(self, tree, failure))
        stop(self.path, failure);
    wchar_t wanted[8] = {};
    if (GetEnvironmentVariableW(L"OMNISTASIS_CHECK", wanted, 8) == 4 && wcscmp(wanted, L"full") == 0 &&
        !check_tree(self, tree, !beside, failure))
        stop(self.path, failure);
    if (!beside) remove_old_trees(self, tree);
    run_program(self, tree, failure);
    stop(self.path, failure);
}

} // namespace

} // namespace omnistasis::launcher

int main() { return omnistasis::launcher::run(); }
