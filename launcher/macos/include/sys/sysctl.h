// What the system tells of itself (sysctlbyname(3)).
#pragma once

#include <stddef.h>

extern "C" int sysctlbyname(const char* name, void* into, size_t* size, void* to_set, size_t to_set_size);
