// The numbers of the system's interface, which are the same on both processors, for C too.
#pragma once

#include <stddef.h>
#include <stdint.h>

typedef int32_t dev_t;
typedef uint64_t ino_t;
typedef uint16_t mode_t;
typedef uint16_t nlink_t;
typedef uint32_t uid_t;
typedef uint32_t gid_t;
typedef int32_t pid_t;
typedef int64_t off_t;
typedef long ssize_t;
typedef long time_t;

/// Functions that Intel's processors have twice: the name without a suffix is that of files with numbers of
/// 32 bits.
#ifdef __x86_64__
#define WITH_64_BIT_FILES(name) __asm("_" name "$INODE64")
#else
#define WITH_64_BIT_FILES(name) __asm("_" name)
#endif
