// Files in memory (mmap(2)).
#pragma once

#include <sys/types.h>

extern "C" {
void* mmap(void* at, size_t size, int rights, int flags, int file, off_t offset);
int munmap(void* at, size_t size);
}
#define PROT_READ 1
#define MAP_PRIVATE 2
#define MAP_FAILED (reinterpret_cast<void*>(-1))
