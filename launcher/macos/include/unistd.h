// Files, folders and processes (POSIX.1-2008), for C too.
#pragma once

#include <sys/types.h>

#ifdef __cplusplus
extern "C" {
#endif
ssize_t read(int file, void* bytes, size_t size);
ssize_t write(int file, const void* bytes, size_t size);
ssize_t pread(int file, void* bytes, size_t size, off_t offset);
ssize_t pwrite(int file, const void* bytes, size_t size, off_t offset);
int close(int file);
int dup2(int file, int number);
int fsync(int file);
int ftruncate(int file, off_t size);
int access(const char* path, int mode);
int faccessat(int folder, const char* path, int mode, int flags);
int unlinkat(int folder, const char* path, int flags);
ssize_t readlinkat(int folder, const char* path, char* into, size_t room);
int symlinkat(const char* target, int folder, const char* path);
int chdir(const char* path);
int isatty(int file);
uid_t geteuid(void);
pid_t getpid(void);
pid_t fork(void);
pid_t setsid(void);
int execve(const char* path, char* const arguments[], char* const variables[]);
void _exit(int code) __attribute__((noreturn));
long sysconf(int name);
#ifdef __cplusplus
}
#endif
#define F_OK 0
#define X_OK 1
#define W_OK 2
#define STDERR_FILENO 2
#define _SC_NPROCESSORS_ONLN 58
