// The first thing in every built application: finds the tree that belongs to it (next to it, or unpacked from
// its own end) and becomes the program in there. It changes nothing in the environment, so that programs
// which the application starts see what the user had.

#include "carried_loader.h"
#include "unpack_posix.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

extern char** environ;

namespace omnistasis::launcher {

namespace {

constexpr size_t tail_size = 8192;

[[noreturn]] void stop(const char* called_as, const Failure& failure) {
    const char* slash = strrchr(called_as, '/');
    fprintf(stderr, "%s: %s\n", slash != nullptr ? slash + 1 : called_as, failure.text);
    _exit(failure.exit_code);
}

bool read_at(int descriptor, void* buffer, size_t size, uint64_t offset) {
    auto* at = static_cast<uint8_t*>(buffer);
    while (size > 0) {
        ssize_t count = pread(descriptor, at, size, static_cast<off_t>(offset));
        if (count < 0 && errno == EINTR) continue;
        if (count <= 0) return false;
        at += count;
        size -= static_cast<size_t>(count);
        offset += static_cast<uint64_t>(count);
    }
    return true;
}

/// Opens the running executable and reads what is at its end: mostly one read. The head stays in memory.
payload::ReadError open_self(Self& self) {
    static uint8_t tail[tail_size];
    struct stat status;
    self.descriptor = open("/proc/self/exe", O_RDONLY | O_CLOEXEC);
    if (self.descriptor < 0 || fstat(self.descriptor, &status) != 0) return payload::ReadError::no_payload;
    self.size = static_cast<uint64_t>(status.st_size);
    if (self.size < payload::trailer_size) return payload::ReadError::no_payload;
    size_t size = self.size < tail_size ? static_cast<size_t>(self.size) : tail_size;
    uint64_t start = self.size - size;
    if (!read_at(self.descriptor, tail, size, start)) return payload::ReadError::cut_off;
    if (auto error = payload::read_trailer(tail + size - payload::trailer_size, self.size, self.trailer);
        error != payload::ReadError::none)
        return error;
    auto head_size = static_cast<size_t>(self.trailer.head_size);
    const uint8_t* head = nullptr;
    if (self.trailer.head_offset >= start) {
        head = tail + (self.trailer.head_offset - start);
    } else {
        auto* room = static_cast<uint8_t*>(malloc(head_size + 1));
        if (room == nullptr || !read_at(self.descriptor, room, head_size, self.trailer.head_offset))
            return payload::ReadError::cut_off;
        head = room;
    }
    return payload::read_head({head, head_size}, self.trailer, self.head);
}

/// The folder of the folder layout: next to the launcher's real place.
bool folder_tree(const Self& self, char* tree, size_t room, Failure& failure) {
    ssize_t length = readlink("/proc/self/exe", tree, room - 1);
    if (length <= 0 || static_cast<size_t>(length) + self.head.tree_folder.size + 2 > room) {
        failure.exit_code = exit_no_start;
        snprintf(failure.text, sizeof failure.text, "can't tell where the application is");
        return false;
    }
    tree[length] = 0;
    char* end = strrchr(tree, '/') + 1;
    const auto* folder = reinterpret_cast<const char*>(self.head.tree_folder.data);
    size_t size = self.head.tree_folder.size;
    // A launcher inside the tree: one of the folders above its own is the tree.
    if (size >= 2 && memcmp(folder, "..", 2) == 0) {
        end[-1] = 0;
        for (size_t up = 0; up < size; up += sizeof "../" - 1) {
            end = strrchr(tree, '/');
            *(end == nullptr ? tree : end) = 0;
        }
        return true;
    }
    memcpy(end, folder, size);
    end[size] = 0;
    return true;
}

/// One argument of the start's list: `{tree}` at its beginning and `{self}` stand for other texts.
char* filled_in(const char* text, const char* tree, char* called_as) {
    if (strcmp(text, "{self}") == 0) return called_as;
    if (strncmp(text, "{tree}", 6) != 0) return const_cast<char*>(text);
    size_t size = strlen(tree) + strlen(text);
    auto* result = static_cast<char*>(malloc(size));
    if (result != nullptr) snprintf(result, size, "%s%s", tree, text + 6);
    return result;
}

int run(int count, char** arguments) {
    char* called_as = count > 0 ? arguments[0] : const_cast<char*>("application");
    Failure failure;
    Self self;
    if (auto error = open_self(self); error != payload::ReadError::none) {
        failure.exit_code = exit_damaged;
        snprintf(failure.text, sizeof failure.text, "can't start: %s. Get the file anew",
                 payload::text_of(error));
        stop(called_as, failure);
    }
    static char tree[8192];
    bool provided = self.head.tree_folder.size > 0 ? folder_tree(self, tree, sizeof tree, failure)
                                                   : provide_tree(self, tree, sizeof tree, failure);
    if (!provided) stop(called_as, failure);

    const auto* start = reinterpret_cast<const char*>(self.head.start.data);
    const char* end = start + self.head.start.size;
    size_t parts = 0;
    for (const char* at = start; at < end; at += strlen(at) + 1) ++parts;
    // One place in front is the carried loader's.
    auto** list = static_cast<char**>(calloc(parts + static_cast<size_t>(count) + 3, sizeof(char*))) + 1;
    size_t used = 0;
    char program[16384];
    snprintf(program, sizeof program, "%s/%s", tree, start);
    list[used++] = program;
    for (const char* at = start + strlen(start) + 1; at < end; at += strlen(at) + 1) {
        if (strcmp(at, "{arguments}") == 0)
            for (int i = 1; i < count; ++i) list[used++] = arguments[i];
        else
            list[used++] = filled_in(at, tree, called_as);
    }
    if (self.head.working_folder.size > 0) {
        char folder[16384];
        snprintf(folder, sizeof folder, "%s/%.*s", tree, static_cast<int>(self.head.working_folder.size),
                 reinterpret_cast<const char*>(self.head.working_folder.data));
        if (chdir(folder) != 0) {
            failure.exit_code = exit_no_start;
            snprintf(failure.text, sizeof failure.text, "can't go to %.400s: %s", folder, strerror(errno));
            stop(called_as, failure);
        }
    }
    if (self.head.loader.size > 0) {
        char loader[16384];
        snprintf(loader, sizeof loader, "%s/%.*s", tree, static_cast<int>(self.head.loader.size),
                 reinterpret_cast<const char*>(self.head.loader.data));
        close(self.descriptor);
        list[-1] = loader;
        become_loader(loader, list - 1);
        failure.exit_code = exit_no_start;
        snprintf(failure.text, sizeof failure.text, "can't start %.400s: %s", loader, strerror(errno));
        stop(called_as, failure);
    }
    execve(program, list, environ);
    failure.exit_code = exit_no_start;
    // The program is there, so it is its dynamic loader that is not.
    bool no_loader = errno == ENOENT && access(program, X_OK) == 0;
    snprintf(failure.text, sizeof failure.text, "can't start %.400s: %s", program,
             no_loader ? "this system lacks the C library that it was built for" : strerror(errno));
    stop(called_as, failure);
}

} // namespace

} // namespace omnistasis::launcher

int main(int count, char** arguments) { return omnistasis::launcher::run(count, arguments); }
