// Leads paths that are compiled into native libraries to where their files lie in the app tree. The programs
// of a tree that needs it load this library first, so that its functions stand in front of the C library's;
// no variable of the environment tells of it, and nothing outside of the tree is touched by it.
//
// The list beside it (fixed-places.list) has a line for each folder: its path, a tab, its place in the tree.

#include <stddef.h>
#include <string.h>
#include <sys/syscall.h>

// The functions are declared here as they are called by machine code: the system's headers have some of them
// twice, for files of other sizes.
extern "C" {
struct PlaceOfAddress {
    const char* file;
    void* file_address;
    const char* symbol;
    void* symbol_address;
};
int dladdr(const void* address, PlaceOfAddress* into);
void* dlsym(void* where, const char* name);
long syscall(long number, ...);
void free(void* memory);
}

#define STANDS_IN extern "C" __attribute__((visibility("default")))

namespace {

constexpr size_t longest_path = 4096;
constexpr size_t longest_list = 16384;

char tree[longest_path];
size_t tree_size = 0;
char list[longest_list + 1];
bool is_read = false;
thread_local char redirected[longest_path];

template <typename Function> Function* behind(Function*& known, const char* name) {
    void* const behind_this_library = reinterpret_cast<void*>(-1L);
    if (known == nullptr) known = reinterpret_cast<Function*>(dlsym(behind_this_library, name));
    return known;
}

void read_list() {
    is_read = true;
    PlaceOfAddress own;
    if (dladdr(reinterpret_cast<void*>(&read_list), &own) == 0 || own.file == nullptr) return;
    size_t size = strlen(own.file);
    if (size + 8 >= longest_path) return;
    memcpy(tree, own.file, size + 1);
    char* end = strrchr(tree, '/');
    if (end == nullptr || tree[0] != '/') return;
    strcpy(end, "/fixed-places.list");
    int file = static_cast<int>(syscall(SYS_openat, -100, tree, 02000000 /* O_CLOEXEC */));
    if (file < 0) return;
    size_t at = 0;
    for (;;) {
        long got = syscall(SYS_read, file, list + at, longest_list - at);
        if (got <= 0) break;
        at += static_cast<size_t>(got);
    }
    syscall(SYS_close, file);
    list[at] = 0;
    // The library lies in a folder of the tree, and was found over some way to there.
    using Realpath = char*(const char*, char*);
    Realpath* known = nullptr;
    strcpy(end, "/..");
    char* whole = behind(known, "realpath")(tree, nullptr);
    if (whole == nullptr || strlen(whole) >= longest_path) return;
    strcpy(tree, whole);
    free(whole);
    tree_size = strlen(tree);
}

/// The path in the tree that stands for `path`, valid until the thread's next call; or `path` itself.
const char* at_its_place(const char* path) {
    if (!is_read) read_list();
    if (path == nullptr || path[0] != '/' || tree_size == 0) return path;
    for (const char* line = list; *line != 0;) {
        const char* tab = strchr(line, '\t');
        const char* end = strchr(line, '\n');
        if (tab == nullptr || end == nullptr) break;
        size_t size = static_cast<size_t>(tab - line), place = static_cast<size_t>(end - tab - 1);
        if (strncmp(path, line, size) == 0 && (path[size] == '/' || path[size] == 0)) {
            size_t rest = strlen(path + size);
            if (tree_size + 1 + place + rest >= longest_path) return path;
            memcpy(redirected, tree, tree_size);
            redirected[tree_size] = '/';
            memcpy(redirected + tree_size + 1, tab + 1, place);
            memcpy(redirected + tree_size + 1 + place, path + size, rest + 1);
            return redirected;
        }
        line = end + 1;
    }
    return path;
}

__attribute__((constructor)) void prepare() {
    if (!is_read) read_list();
}

} // namespace

// Each call leaves through a jump, so that functions which look at who called them see the right one.
#define BY_PATH(result, name, parameters, arguments)                                                         \
    STANDS_IN result name parameters {                                                                       \
        using Function = result parameters;                                                                  \
        static Function* known = nullptr;                                                                    \
        path = at_its_place(path);                                                                           \
        return behind(known, #name) arguments;                                                               \
    }

BY_PATH(int, open, (const char* path, int flags, unsigned mode), (path, flags, mode))
BY_PATH(int, open64, (const char* path, int flags, unsigned mode), (path, flags, mode))
BY_PATH(int, __open_2, (const char* path, int flags), (path, flags))
BY_PATH(int, __open64_2, (const char* path, int flags), (path, flags))
BY_PATH(int, openat, (int folder, const char* path, int flags, unsigned mode), (folder, path, flags, mode))
BY_PATH(int, openat64, (int folder, const char* path, int flags, unsigned mode), (folder, path, flags, mode))
BY_PATH(void*, fopen, (const char* path, const char* mode), (path, mode))
BY_PATH(void*, fopen64, (const char* path, const char* mode), (path, mode))
BY_PATH(int, stat, (const char* path, void* into), (path, into))
BY_PATH(int, stat64, (const char* path, void* into), (path, into))
BY_PATH(int, lstat, (const char* path, void* into), (path, into))
BY_PATH(int, lstat64, (const char* path, void* into), (path, into))
BY_PATH(int, fstatat, (int folder, const char* path, void* into, int flags), (folder, path, into, flags))
BY_PATH(int, fstatat64, (int folder, const char* path, void* into, int flags), (folder, path, into, flags))
BY_PATH(int, __xstat, (int version, const char* path, void* into), (version, path, into))
BY_PATH(int, __xstat64, (int version, const char* path, void* into), (version, path, into))
BY_PATH(int, __lxstat, (int version, const char* path, void* into), (version, path, into))
BY_PATH(int, __lxstat64, (int version, const char* path, void* into), (version, path, into))
BY_PATH(int, statx, (int folder, const char* path, int flags, unsigned mask, void* into),
        (folder, path, flags, mask, into))
BY_PATH(int, access, (const char* path, int mode), (path, mode))
BY_PATH(int, euidaccess, (const char* path, int mode), (path, mode))
BY_PATH(int, faccessat, (int folder, const char* path, int mode, int flags), (folder, path, mode, flags))
BY_PATH(void*, opendir, (const char* path), (path))
BY_PATH(int, scandir, (const char* path, void* into, void* filter, void* order), (path, into, filter, order))
BY_PATH(int, scandir64, (const char* path, void* into, void* filter, void* order),
        (path, into, filter, order))
BY_PATH(long, readlink, (const char* path, char* into, size_t size), (path, into, size))
BY_PATH(char*, realpath, (const char* path, char* into), (path, into))
BY_PATH(int, chdir, (const char* path), (path))
BY_PATH(int, execv, (const char* path, char* const* arguments), (path, arguments))
BY_PATH(int, execve, (const char* path, char* const* arguments, char* const* variables),
        (path, arguments, variables))
BY_PATH(int, execvp, (const char* path, char* const* arguments), (path, arguments))
BY_PATH(int, posix_spawn,
        (int* process, const char* path, const void* actions, const void* attributes, char* const* arguments,
         char* const* variables),
        (process, path, actions, attributes, arguments, variables))
BY_PATH(int, posix_spawnp,
        (int* process, const char* path, const void* actions, const void* attributes, char* const* arguments,
         char* const* variables),
        (process, path, actions, attributes, arguments, variables))
BY_PATH(void*, dlopen, (const char* path, int flags), (path, flags))
