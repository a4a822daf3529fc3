// The first thing in every built application: finds the tree that belongs to it (next to it, or unpacked from
// its own end) and becomes the program in there. It changes nothing in the environment, so that programs
// which the application starts see what the user had.

#include "files_posix.h"
#include "message_window.h"
#include "old_trees_posix.h"
#include "signature.h"
#include "start_posix.h"
#include "start_text.h"
#include "state_posix.h"
#include "system_posix.h"
#include "window_slot.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

extern char** environ;

namespace omnistasis::launcher {

namespace {

constexpr size_t tail_size = 8192;

/// Says why the application does not start; to somebody without a terminal in a window.
[[noreturn]] void stop(const char* called_as, Failure& failure) {
    // A path could hold what a terminal takes for a command.
    for (char* at = failure.text; *at != 0; ++at)
        if (static_cast<unsigned char>(*at) < 0x20 || *at == 0x7F) *at = '?';
    const char* slash = strrchr(called_as, '/');
    const char* name = slash != nullptr ? slash + 1 : called_as;
    fprintf(stderr, "%s: %s\n", name, failure.text);
    if (window_slot.is_window == 1 && isatty(STDERR_FILENO) == 0) show_message(name, failure.text);
    _exit(failure.exit_code);
}

/// Opens the file with the payload and reads what is at its end: mostly one read. The head stays in memory.
payload::ReadError open_self(Self& self) {
    static uint8_t tail[tail_size];
    struct stat status;
    self.descriptor = open_payload();
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

bool wants_full_check() {
    const char* wanted = getenv("OMNISTASIS_CHECK");
    return wanted != nullptr && strcmp(wanted, "full") == 0;
}

/// The tree that belongs to this executable, with all that it needs around it.
bool find_tree(const Self& self, TreePlace& place, Failure& failure) {
    if (!is_signature_right(self.head))
        return set(
            failure, exit_damaged,
            "can't start: the file does not have its publisher's signature. Get it anew from where its "
            "publisher offers it",
            "", 0);
    bool beside = self.head.tree_folder.size > 0;
    if (!(beside ? find_beside(self, place, failure) : provide_in_cache(self, nullptr, place, failure)))
        return false;
    if (self.head.state.size > 0) {
        StateResult result = beside && tree_beside_is_sealed ? StateResult::tree_is_fixed
                                                             : provide_state(self, place, failure);
        if (result == StateResult::tree_is_fixed) {
            // A user of a tree that may not be changed has one of their own, for the links in it.
            static char original[sizeof place.path];
            memcpy(original, place.path, sizeof original);
            place.beside = original;
            if (!provide_in_cache(self, original, place, failure)) return false;
            result = provide_state(self, place, failure);
        }
        if (result != StateResult::ready) return false;
    }
    if (wants_full_check() && !check_tree(self, place, failure)) return false;
    if (place.was_idle) remove_old_trees(self, place);
    return true;
}

/// Where `omnistasis profile` wants to know what the time goes to; -1 else.
int open_times() {
    const char* name = getenv("OMNISTASIS_TIMES");
    int file = name == nullptr ? -1 : open(name, O_WRONLY | O_APPEND | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    struct stat status;
    if (file < 0 || (fstat(file, &status) == 0 && S_ISREG(status.st_mode))) return file;
    return close(file), -1;
}

/// A line: what begins now, nothing, the process, nanoseconds of the monotonic clock.
void tell_time(int times, const char* what) {
    if (times < 0) return;
    timespec now{};
    clock_gettime(CLOCK_MONOTONIC, &now);
    char line[100];
    int size = snprintf(line, sizeof line, "%s\t-\t%d\t%lld\n", what, static_cast<int>(getpid()),
                        static_cast<long long>(now.tv_sec) * 1000000000 + now.tv_nsec);
    if (write(times, line, static_cast<size_t>(size)) < 0) return;
}

/// Becomes the tree's program. Comes back, with `failure` filled in, only where it can't.
void become_program(const Self& self, const TreePlace& place, int count, char** arguments,
                    const StartValues& values, Failure& failure) {
    const char* tree = place.path;
    const auto* start = reinterpret_cast<const char*>(self.head.start.data);
    const char* end = start + self.head.start.size;
    size_t parts = 0;
    for (const char* at = start; at < end; at += strlen(at) + 1) ++parts;
    // One place in front is the carried loader's.
    auto** list = static_cast<char**>(calloc(parts + static_cast<size_t>(count) + 3, sizeof(char*))) + 1;
    size_t used = 0;
    static char program[16384], folder[16384];
    snprintf(program, sizeof program, "%s/%s", tree, start);
    list[used++] = program;
    for (const char* at = start + strlen(start) + 1; at < end; at += strlen(at) + 1) {
        if (strcmp(at, "{arguments}") == 0)
            for (int i = 1; i < count; ++i) list[used++] = arguments[i];
        else if (char* argument = filled_in(at, values, malloc))
            list[used++] = argument;
    }
    if (self.head.working_folder.size > 0) {
        snprintf(folder, sizeof folder, "%s/%.*s", tree, static_cast<int>(self.head.working_folder.size),
                 reinterpret_cast<const char*>(self.head.working_folder.data));
        if (chdir(folder) != 0) {
            set(failure, exit_no_start, "can't go to", folder, errno);
            return;
        }
    }
    start_program(self, place, list, failure);
}

int run(int count, char** arguments) {
    int times = open_times();
    tell_time(times, "launcher");
    char* called_as = count > 0 ? arguments[0] : const_cast<char*>("application");
    Failure failure;
    static Self self;
    if (auto error = open_self(self); error != payload::ReadError::none) {
        failure.exit_code = exit_damaged;
        snprintf(failure.text, sizeof failure.text, "can't start: %s. Get the file anew",
                 payload::text_of(error));
        stop(called_as, failure);
    }
    static TreePlace place;
    if (!find_tree(self, place, failure)) stop(called_as, failure);
    tell_time(times, "tree");
    StartValues values{place.path, called_as};
    char** variables = environ;
    payload::Bytes to_set = variables_to_set(self);
    environ = program_environment(variables, self.head.kept_variables, to_set, values, malloc);
    tell_time(times, "program");
    become_program(self, place, count, arguments, values, failure);
    // A tree in the cache is put there anew, once, where it is not what was built any more.
    Failure second;
    if (!place.in_cache || !repair_in_cache(self, place.beside, place, second)) stop(called_as, failure);
    if (!find_tree(self, place, second)) stop(called_as, second);
    environ = program_environment(variables, self.head.kept_variables, to_set, values, malloc);
    become_program(self, place, count, arguments, values, failure);
    stop(called_as, failure);
}

} // namespace

} // namespace omnistasis::launcher

int main(int count, char** arguments) { return omnistasis::launcher::run(count, arguments); }
