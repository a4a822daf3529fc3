// The numbers of the system's interface, which are the same on both processors.
#pragma once

#include <stddef.h>
#include <stdint.h>

using dev_t = int32_t;
using ino_t = uint64_t;
using mode_t = uint16_t;
using nlink_t = uint16_t;
using uid_t = uint32_t;
using gid_t = uint32_t;
using pid_t = int32_t;
using off_t = int64_t;
using ssize_t = long;
using time_t = long;

/// Functions that Intel's processors have twice: the name without a suffix is that of files with numbers of
/// 32 bits.
#ifdef __x86_64__
#define WITH_64_BIT_FILES(name) __asm("_" name "$INODE64")
#else
#define WITH_64_BIT_FILES(name) __asm("_" name)
#endif
