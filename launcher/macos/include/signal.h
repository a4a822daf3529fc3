// Signals (signal(3)), for C too.
#pragma once

#ifdef __cplusplus
extern "C" {
#endif
void (*signal(int number, void (*action)(int)))(int);
#ifdef __cplusplus
}
#endif
#define SIGPIPE 13
#define SIG_IGN (reinterpret_cast<void (*)(int)>(1))
