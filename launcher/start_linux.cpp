#include "carried_loader.h"
#include "start_posix.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

extern char** environ;

namespace omnistasis::launcher {

namespace {

/// Whether a folder holds a C library. One of another build than the system's loader stops every program that
/// finds it.
bool has_c_library(const char* folder, size_t length) {
    char path[4096];
    int size = snprintf(path, sizeof path, "%.*s%slibc.so.6", static_cast<int>(length), folder,
                        length > 0 ? "/" : "");
    return size < static_cast<int>(sizeof path) && access(path, F_OK) == 0;
}

} // namespace

/// Where the user's own library path has folders with a C library, that path without them is set too. The
/// programs that the application starts get the user's.
payload::Bytes variables_to_set(const Self& self) {
    const char* path = getenv("LD_LIBRARY_PATH");
    if (path == nullptr || path[0] == 0) return self.head.set_variables;
    constexpr const char* name = "LD_LIBRARY_PATH=";
    const payload::Bytes& set = self.head.set_variables;
    auto* list = static_cast<char*>(malloc(set.size + strlen(name) + strlen(path) + 1));
    if (list == nullptr) return set;
    if (set.size > 0) memcpy(list, set.data, set.size);
    char* start = list + set.size;
    strcpy(start, name);
    char* end = start + strlen(name);
    bool any_left_out = false;
    for (const char* at = path;; ++at) {
        size_t length = strcspn(at, ":;");
        if (has_c_library(at, length)) {
            any_left_out = true;
        } else {
            if (end[-1] != '=') *end++ = ':';
            memcpy(end, at, length);
            end += length;
        }
        at += length;
        if (*at == 0) break;
    }
    *end++ = 0;
    if (!any_left_out) return free(list), set;
    return {reinterpret_cast<const uint8_t*>(list), static_cast<size_t>(end - list)};
}

void start_program(const Self& self, const TreePlace& place, char** arguments, Failure& failure) {
    const char* program = arguments[0];
    if (self.head.loader.size > 0) {
        static char loader[16384];
        snprintf(loader, sizeof loader, "%s/%.*s", place.path, static_cast<int>(self.head.loader.size),
                 reinterpret_cast<const char*>(self.head.loader.data));
        arguments[-1] = loader;
        become_loader(loader, arguments - 1, {self.descriptor, place.marker});
        set(failure, exit_no_start, "can't start", loader, errno);
        return;
    }
    execve(program, arguments, environ);
    set(failure, exit_no_start, "can't start", program, errno);
    // Where the program is there, it is its dynamic loader that is not.
    if (errno == ENOENT && access(program, X_OK) == 0)
        snprintf(failure.text, sizeof failure.text,
                 "can't start %.400s: this system lacks the C library that it was built for", program);
}

} // namespace omnistasis::launcher
