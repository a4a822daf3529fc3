// What the system says of files (stat(2)), with numbers of files of 64 bits.
#pragma once

#include <sys/types.h>
#include <time.h>

struct stat {
    dev_t st_dev;
    mode_t st_mode;
    nlink_t st_nlink;
    ino_t st_ino;
    uid_t st_uid;
    gid_t st_gid;
    dev_t st_rdev;
    timespec st_atim; ///< the system's own header calls these four st_atimespec and so on
    timespec st_mtim;
    timespec st_ctim;
    timespec st_birthtim;
    off_t st_size;
    int64_t st_blocks;
    int32_t st_blksize;
    uint32_t st_flags;
    uint32_t st_gen;
    int32_t st_lspare;
    int64_t st_qspare[2];
};

extern "C" {
int fstat(int file, struct stat* into) WITH_64_BIT_FILES("fstat");
int fstatat(int folder, const char* path, struct stat* into, int flags) WITH_64_BIT_FILES("fstatat");
int mkdirat(int folder, const char* path, mode_t mode);
int renameat(int from_folder, const char* from, int to_folder, const char* to);
int futimens(int file, const timespec times[2]);
}
#define S_IFMT 0170000
#define S_ISVTX 01000
#define S_ISDIR(mode) (((mode)&S_IFMT) == 0040000)
#define S_ISREG(mode) (((mode)&S_IFMT) == 0100000)
#define S_ISLNK(mode) (((mode)&S_IFMT) == 0120000)
#define UTIME_OMIT -2
