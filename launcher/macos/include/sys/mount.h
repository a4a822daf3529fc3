// What the system says of disks (statfs(2)), with numbers of files of 64 bits.
#pragma once

#include <sys/types.h>

struct statfs {
    uint32_t f_bsize;
    int32_t f_iosize;
    uint64_t f_blocks, f_bfree, f_bavail, f_files, f_ffree;
    int32_t f_fsid[2];
    uid_t f_owner;
    uint32_t f_type, f_flags, f_fssubtype;
    char f_fstypename[16], f_mntonname[1024], f_mntfromname[1024];
    uint32_t f_flags_ext, f_reserved[7];
};

extern "C" int fstatfs(int file, struct statfs* into) WITH_64_BIT_FILES("fstatfs");
#define MNT_NOEXEC 0x4
