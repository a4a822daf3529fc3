// The functions of <string.h> that the launcher calls: the system's own headers are not at hand where it is
// built.
#pragma once

#include <stddef.h>

extern "C" {
size_t strlen(const char* text);
int strcmp(const char* left, const char* right);
int strncmp(const char* left, const char* right, size_t size);
char* strchr(const char* text, int c);
char* strrchr(const char* text, int c);
void* memcpy(void* to, const void* from, size_t size);
void* memset(void* to, int value, size_t size);
int memcmp(const void* left, const void* right, size_t size);
}
