// Opening of files (open(2), fcntl(2)).
#pragma once

#include <sys/types.h>

extern "C" {
int open(const char* path, int flags, ...);
int openat(int folder, const char* path, int flags, ...);
int fcntl(int file, int command, ...);
}
#define O_RDONLY 0x0
#define O_WRONLY 0x1
#define O_RDWR 0x2
#define O_NONBLOCK 0x4
#define O_NOFOLLOW 0x100
#define O_CREAT 0x200
#define O_TRUNC 0x400
#define O_EXCL 0x800
#define O_APPEND 0x8
#define O_DIRECTORY 0x100000
#define O_SYMLINK 0x200000
#define O_CLOEXEC 0x1000000
#define AT_EACCESS 0x10
#define AT_SYMLINK_NOFOLLOW 0x20
#define AT_REMOVEDIR 0x80
#define F_GETPATH 50
