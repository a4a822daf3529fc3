#include "stand_in.h"

#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <dirent.h>
#include <string>
#include <sys/stat.h>
#include <unistd.h>

namespace {

int read_link(const std::string& link, char* into, std::size_t room) {
    ssize_t size = readlink(link.c_str(), into, room - 1);
    if (size < 0) return 0;
    into[size] = 0;
    return static_cast<int>(size);
}

std::string content(int file) {
    std::string bytes;
    char buffer[65536];
    for (ssize_t count = 0;
         (count = pread(file, buffer, sizeof buffer, static_cast<off_t>(bytes.size()))) > 0;)
        bytes.append(buffer, static_cast<std::size_t>(count));
    return bytes;
}

} // namespace

int _NSGetExecutablePath(char* path, std::uint32_t* room) {
    return read_link("/proc/self/exe", path, *room) > 0 ? 0 : -1;
}

int fcntl_with_paths(int file, int, char* path) {
    return read_link("/proc/self/fd/" + std::to_string(file), path, 1024) > 0 ? 0 : -1;
}

int proc_listallpids(void* numbers, int size) {
    int count = 0;
    DIR* stream = opendir("/proc");
    while (dirent* entry = readdir(stream))
        if (int number = std::atoi(entry->d_name);
            number > 0 && count < size / static_cast<int>(sizeof number))
            static_cast<int*>(numbers)[count++] = number;
    closedir(stream);
    return count;
}

int proc_pidpath(int process, void* path, std::uint32_t room) {
    return read_link("/proc/" + std::to_string(process) + "/exe", static_cast<char*>(path), room);
}

/// A disk that knows no such copies has them refused, as one of another kind than the system's own does.
int fclonefileat(int file, int folder, const char* path, std::uint32_t) {
    struct stat status;
    if (std::getenv("NO_CLONES") != nullptr) return errno = ENOTSUP, -1;
    if (fstat(file, &status) != 0) return -1;
    int copy = openat(folder, path, O_WRONLY | O_CREAT | O_EXCL, status.st_mode & 0777);
    if (copy < 0) return -1;
    std::string bytes = content(file);
    bool written = write(copy, bytes.data(), bytes.size()) == static_cast<ssize_t>(bytes.size());
    close(copy);
    return written ? 0 : -1;
}

int sysctlbyname(const char* name, void* into, std::size_t* size, void*, std::size_t) {
    if (std::strcmp(name, "kern.bootsessionuuid") != 0) return errno = ENOENT, -1;
    int file = open("/proc/sys/kernel/random/boot_id", O_RDONLY);
    std::string run = content(file).substr(0, 36);
    close(file);
    if (*size <= run.size()) return errno = ENOMEM, -1;
    std::memcpy(into, run.c_str(), run.size() + 1);
    *size = run.size() + 1;
    return 0;
}
