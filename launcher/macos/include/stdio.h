// Formatted texts (ISO C 7.21).
#pragma once

#include <stddef.h>

struct FILE;
extern "C" {
extern FILE* __stderrp;
int snprintf(char* to, size_t room, const char* format, ...) __attribute__((format(printf, 3, 4)));
int fprintf(FILE* stream, const char* format, ...) __attribute__((format(printf, 2, 3)));
}
#define stderr __stderrp
