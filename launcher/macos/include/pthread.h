// Threads (pthread(3)).
#pragma once

struct pthread_attr_t;
using pthread_t = struct OpaqueThread*;

extern "C" {
int pthread_create(pthread_t* thread, const pthread_attr_t* attributes, void* (*start)(void*),
                   void* argument);
int pthread_join(pthread_t thread, void** result);
}
