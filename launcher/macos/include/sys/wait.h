// The ends of processes (waitpid(2)).
#pragma once

#include <sys/types.h>

extern "C" pid_t waitpid(pid_t process, int* status, int options);
