// Precedence of processes (setpriority(2)).
#pragma once

extern "C" int setpriority(int which, unsigned who, int value);
#define PRIO_PROCESS 0
