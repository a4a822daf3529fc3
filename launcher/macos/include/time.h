// Times (clock_gettime(3)).
#pragma once

#include <sys/types.h>

struct timespec {
    time_t tv_sec;
    long tv_nsec;
};

extern "C" {
time_t time(time_t* into);
int clock_gettime(unsigned clock, timespec* into);
}
#define CLOCK_MONOTONIC 6
