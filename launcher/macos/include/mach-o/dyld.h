// The dynamic loader (dyld(3)).
#pragma once

#include <stdint.h>

extern "C" int _NSGetExecutablePath(char* path, uint32_t* room);
