// Signals (signal(3)).
#pragma once

extern "C" void (*signal(int number, void (*action)(int)))(int);
#define SIGPIPE 13
#define SIG_IGN (reinterpret_cast<void (*)(int)>(1))
