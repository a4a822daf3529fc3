// Memory, variables, numbers (ISO C 7.22), for C too.
#pragma once

#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif
void* malloc(size_t size);
void* calloc(size_t count, size_t size);
void free(void* memory);
char* getenv(const char* name);
char* realpath(const char* path, char* resolved);
unsigned long strtoul(const char* text, char** end, int base);
void abort(void) __attribute__((noreturn));
void qsort(void* first, size_t count, size_t size, int (*compare)(const void*, const void*));
#ifdef __cplusplus
}
#endif
