// Processes of others (libproc).
#pragma once

#include <sys/types.h>

extern "C" {
/// Gives how many there are, and writes as many of their numbers as `size` bytes hold.
int proc_listallpids(void* numbers, int size);
/// The path of a process's executable, without links; gives its length, 0 where it is not told.
int proc_pidpath(int process, void* path, uint32_t room);
}
