// Locks (flock(2)).
#pragma once

extern "C" int flock(int file, int operation);
#define LOCK_SH 1
#define LOCK_EX 2
#define LOCK_NB 4
