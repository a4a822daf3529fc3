// Copies that share their content until one of them is changed (clonefile(2)).
#pragma once

#include <stdint.h>

extern "C" int fclonefileat(int file, int folder, const char* path, uint32_t flags);
#define CLONE_NOOWNERCOPY 0x2
