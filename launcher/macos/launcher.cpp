// The program of an application bundle: finds what stands in Contents/Resources and becomes the runtime's
// program in there. Built without the system's headers: the few functions that it calls are declared here, as
// their manual pages have them (section 2 and 3), and linked against a stub that names them.
#include "exit_codes.h"
#include "payload_reader.h"
#include "start_text.h"
#include "window_slot.h"

#include <string.h>

extern "C" {
extern char** environ;
int _NSGetExecutablePath(char* path, uint32_t* size);
char* realpath(const char* path, char* resolved);
int open(const char* path, int flags, ...);
long read(int descriptor, void* bytes, size_t size);
long write(int descriptor, const void* bytes, size_t size);
long long lseek(int descriptor, long long offset, int from);
int close(int descriptor);
int chdir(const char* path);
int execve(const char* path, char* const arguments[], char* const variables[]);
[[noreturn]] void _exit(int code);
void* malloc(size_t size);
char* strerror(int number);
int isatty(int descriptor);
int* __error();
}

namespace omnistasis::launcher {

namespace {

using namespace payload;

constexpr size_t longest_path = 4096;
constexpr int seek_end = 2, seek_set = 0;

const char* called_as = "application";

/// In window mode nobody sees standard error: the system's own program for scripts shows the text in an
/// alert, and this process becomes it. Comes back where it can't.
void show(const char* const* parts) {
    static char text[2048];
    size_t used = 0;
    for (; *parts != nullptr; ++parts)
        for (const char* at = *parts; *at != 0 && used + 1 < sizeof text; ++at) text[used++] = *at;
    const char* const arguments[] = {"osascript",
                                     "-e",
                                     "on run words",
                                     "-e",
                                     "display alert (item 1 of words) message (item 2 of words) as critical",
                                     "-e",
                                     "end run",
                                     called_as,
                                     text,
                                     nullptr};
    execve("/usr/bin/osascript", const_cast<char* const*>(arguments), environ);
}

[[noreturn]] void stop(int code, const char* what, const char* where, const char* why) {
    const char* const parts[] = {
        called_as, ": ", what, where[0] != 0 ? " " : "", where, why[0] != 0 ? ": " : "", why, "\n", nullptr};
    for (const char* const* part = parts; *part != nullptr; ++part) write(2, *part, strlen(*part));
    if (window_slot.is_window == 1 && isatty(2) == 0) show(parts + 2);
    _exit(code);
}

/// Text upon text, in memory of its own.
char* joined(const char* first, const char* second, const char* third = "", const char* fourth = "") {
    const char* parts[] = {first, second, third, fourth};
    size_t size = 1;
    for (const char* part : parts) size += strlen(part);
    auto* result = static_cast<char*>(malloc(size));
    char* at = result;
    for (const char* part : parts) {
        memcpy(at, part, strlen(part));
        at += strlen(part);
    }
    *at = 0;
    return result;
}

/// The head of the file with the payload.
Head read_payload(const char* file) {
    int descriptor = open(file, 0);
    if (descriptor < 0) stop(exit_damaged, "can't start: a part of the application is missing:", file, "");
    auto size = static_cast<uint64_t>(lseek(descriptor, 0, seek_end));
    uint8_t tail[trailer_size];
    Trailer trailer;
    Head head;
    auto part = [&](uint8_t* to, uint64_t offset, size_t count) {
        lseek(descriptor, static_cast<long long>(offset), seek_set);
        for (size_t done = 0; done < count;) {
            long got = read(descriptor, to + done, count - done);
            if (got <= 0) return false;
            done += static_cast<size_t>(got);
        }
        return true;
    };
    ReadError error = ReadError::cut_off;
    if (size >= trailer_size && part(tail, size - trailer_size, trailer_size))
        error = read_trailer(tail, size, trailer);
    if (error == ReadError::none) {
        auto count = static_cast<size_t>(trailer.head_size);
        auto* bytes = static_cast<uint8_t*>(malloc(count + 1));
        error = bytes != nullptr && part(bytes, trailer.head_offset, count)
                    ? read_head({bytes, count}, trailer, head)
                    : ReadError::cut_off;
    }
    close(descriptor);
    if (error != ReadError::none) stop(exit_damaged, "can't start:", text_of(error), "");
    return head;
}

/// The last part of a path is taken away.
void up(char* path) {
    char* slash = strrchr(path, '/');
    if (slash != nullptr) *slash = 0;
}

int run(int count, char** arguments) {
    if (count > 0) {
        const char* slash = strrchr(arguments[0], '/');
        called_as = slash != nullptr ? slash + 1 : arguments[0];
    }
    static char path[longest_path], self[longest_path];
    uint32_t room = sizeof path;
    if (_NSGetExecutablePath(path, &room) != 0 || realpath(path, self) == nullptr)
        stop(exit_no_start, "can't tell where the application is", "", "");
    const char* name = strrchr(self, '/') + 1;
    // A launcher inside the tree has its payload beside itself; that of the bundle, which is
    // Contents/MacOS/NAME, has it in Contents/Resources. Nothing follows a program, whose end is its
    // signature.
    char* file = joined(self, ".payload");
    int beside = open(file, 0);
    if (beside >= 0) {
        close(beside);
    } else {
        char* contents = joined(self, "");
        up(contents);
        up(contents);
        file = joined(contents, "/Resources/", name, ".payload");
    }
    Head head = read_payload(file);
    char* tree = joined(self, "");
    up(tree);
    static char folder[longest_path];
    size_t size = head.tree_folder.size < sizeof folder ? head.tree_folder.size : 0;
    memcpy(folder, head.tree_folder.data, size);
    folder[size] = 0;
    const char* way = folder;
    for (; strncmp(way, "..", 2) == 0; way += way[2] == '/' ? 3 : 2) up(tree);
    if (*way != 0) tree = joined(tree, "/", way);

    StartValues values{tree, count > 0 ? arguments[0] : called_as};
    const auto* start = reinterpret_cast<const char*>(head.start.data);
    const char* end = start + head.start.size;
    size_t parts = 0;
    for (const char* at = start; at < end; at += strlen(at) + 1) ++parts;
    auto** list = static_cast<char**>(malloc((parts + static_cast<size_t>(count) + 2) * sizeof(char*)));
    size_t used = 0;
    char* program = joined(tree, "/", start);
    list[used++] = program;
    for (const char* at = start + strlen(start) + 1; at < end; at += strlen(at) + 1) {
        if (strcmp(at, "{arguments}") == 0)
            for (int i = 1; i < count; ++i) list[used++] = arguments[i];
        else if (char* argument = filled_in(at, values, malloc))
            list[used++] = argument;
    }
    list[used] = nullptr;
    environ = program_environment(environ, head.kept_variables, head.set_variables, values, malloc);
    if (head.working_folder.size > 0) {
        static char inner[longest_path];
        size_t length = head.working_folder.size < sizeof inner ? head.working_folder.size : 0;
        memcpy(inner, head.working_folder.data, length);
        char* to = joined(tree, "/", inner);
        if (chdir(to) != 0) stop(exit_no_start, "can't go to", to, strerror(*__error()));
    }
    execve(program, list, environ);
    stop(exit_no_start, "can't start", program, strerror(*__error()));
}

} // namespace

} // namespace omnistasis::launcher

extern "C" int main(int count, char** arguments) { return omnistasis::launcher::run(count, arguments); }
