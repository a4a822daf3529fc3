// What Linux answers in system_linux.cpp, and how a bundle's program is started.
#include "message_window.h"
#include "start_posix.h"
#include "system_posix.h"

#include <errno.h>
#include <fcntl.h>
#include <libproc.h>
#include <mach-o/dyld.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/clonefile.h>
#include <sys/mount.h>
#include <sys/sysctl.h>
#include <sys/wait.h>
#include <unistd.h>

extern "C" char** environ;

namespace omnistasis::launcher {

namespace {

constexpr size_t longest_path = 4096;

} // namespace

const bool tree_beside_is_sealed = true;
// File System Programming Guide, "The Library Directory Stores App-Specific Files".
const UserFolder user_data{nullptr, "/Library/Application Support"}, user_caches{nullptr, "/Library/Caches"};

bool executable_path(char* path, size_t room) {
    static char called[longest_path], real[longest_path];
    uint32_t called_room = sizeof called;
    if (_NSGetExecutablePath(called, &called_room) != 0 || realpath(called, real) == nullptr) return false;
    return snprintf(path, room, "%s", real) < static_cast<int>(room);
}

/// Nothing follows a program, whose end is its signature: the payload has a file of its own. That of a
/// launcher inside the tree lies beside it, that of the bundle, which is Contents/MacOS/NAME, is
/// Contents/Resources/NAME.payload.
int open_payload() {
    static char self[longest_path], file[longest_path + 64];
    if (!executable_path(self, sizeof self)) return -1;
    snprintf(file, sizeof file, "%s.payload", self);
    int beside = open(file, O_RDONLY | O_CLOEXEC);
    if (beside >= 0) return beside;
    char* name = strrchr(self, '/');
    *name++ = 0;
    char* last_folder = strrchr(self, '/');
    if (last_folder == nullptr) return -1;
    *last_folder = 0;
    snprintf(file, sizeof file, "%s/Resources/%s.payload", self, name);
    return open(file, O_RDONLY | O_CLOEXEC);
}

bool read_run(char* run) {
    char text[run_size + 1];
    size_t size = sizeof text;
    if (sysctlbyname("kern.bootsessionuuid", text, &size, nullptr, 0) != 0 || size < run_size) return false;
    memcpy(run, text, run_size);
    return true;
}

bool may_start_from(int folder) {
    struct statfs disk;
    return fstatfs(folder, &disk) != 0 || (disk.f_flags & MNT_NOEXEC) == 0;
}

int open_entry(int folder, const char* name) {
    // Nothing that waits for somebody at its other end.
    return openat(folder, name, O_RDONLY | O_NONBLOCK | O_SYMLINK | O_CLOEXEC);
}

/// An open link can't be read before macOS 13. Only those who are trusted could have put another there: the
/// folder was found theirs.
ssize_t read_entry(int, int folder, const char* name, char* target, size_t room) {
    return readlinkat(folder, name, target, room);
}

bool is_as_root(uid_t) { return false; }

bool path_of(int folder, char* path, size_t room) {
    static char found[longest_path]; // the system writes up to MAXPATHLEN bytes
    return fcntl(folder, F_GETPATH, found) == 0 && snprintf(path, room, "%s", found) < static_cast<int>(room);
}

bool is_in_use(const char* tree) {
    static pid_t processes[32768];
    int count = proc_listallpids(processes, sizeof processes);
    if (count <= 0) return true;
    size_t length = strlen(tree);
    for (int i = 0; i < count && i < static_cast<int>(sizeof processes / sizeof processes[0]); ++i) {
        char path[longest_path];
        int size = proc_pidpath(processes[i], path, sizeof path);
        if (size >= static_cast<int>(length) && strncmp(path, tree, length) == 0) return true;
    }
    return false;
}

bool clone_file(int file, int folder, const char* path) {
    return fclonefileat(file, folder, path, CLONE_NOOWNERCOPY) == 0;
}

payload::Bytes variables_to_set(const Self& self) { return self.head.set_variables; }

void start_program(const Self&, const TreePlace&, char** arguments, Failure& failure) {
    execve(arguments[0], arguments, environ);
    set(failure, exit_no_start, "can't start", arguments[0], errno);
}

/// In window mode nobody sees standard error: the system's own program for scripts shows an alert.
void show_message(const char* title, const char* text) {
    const char* const arguments[] = {"osascript",
                                     "-e",
                                     "on run words",
                                     "-e",
                                     "display alert (item 1 of words) message (item 2 of words) as critical",
                                     "-e",
                                     "end run",
                                     title,
                                     text,
                                     nullptr};
    pid_t child = fork();
    if (child == 0) {
        execve("/usr/bin/osascript", const_cast<char* const*>(arguments), environ);
        _exit(1);
    }
    while (child > 0 && waitpid(child, nullptr, 0) < 0 && errno == EINTR) {
    }
}

} // namespace omnistasis::launcher
