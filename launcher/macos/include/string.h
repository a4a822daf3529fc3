// Texts and memory (ISO C 7.24, POSIX.1-2008), for C too.
#pragma once

#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif
size_t strlen(const char* text);
int strcmp(const char* left, const char* right);
int strncmp(const char* left, const char* right, size_t size);
char* strcpy(char* to, const char* from);
char* strchr(const char* text, int c);
char* strrchr(const char* text, int c);
size_t strspn(const char* text, const char* of);
size_t strcspn(const char* text, const char* of);
char* strerror(int number);
void* memcpy(void* to, const void* from, size_t size);
void* memmove(void* to, const void* from, size_t size);
void* memset(void* to, int value, size_t size);
int memcmp(const void* left, const void* right, size_t size);
void* memmem(const void* where, size_t size, const void* what, size_t what_size);
#ifdef __cplusplus
}
#endif
