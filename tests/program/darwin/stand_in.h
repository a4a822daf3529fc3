// What macOS has and Linux does not, for tests of the launcher of a bundle on Linux: as the manual pages of
// macOS tell it.
#pragma once

#include <cstddef>
#include <cstdint>
#include <fcntl.h>
#include <sys/statfs.h>

#define O_SYMLINK (O_PATH | O_NOFOLLOW)
#define F_GETPATH 50
#define MNT_NOEXEC 0x8 // Linux's ST_NOEXEC
#define CLONE_NOOWNERCOPY 0x2
#define fcntl fcntl_with_paths

extern "C" {
int _NSGetExecutablePath(char* path, std::uint32_t* room);
int fcntl_with_paths(int file, int command, char* path);
int proc_listallpids(void* numbers, int size);
int proc_pidpath(int process, void* path, std::uint32_t room);
int fclonefileat(int file, int folder, const char* path, std::uint32_t flags);
int sysctlbyname(const char* name, void* into, std::size_t* size, void* to_set, std::size_t to_set_size);
}
