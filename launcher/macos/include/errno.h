// The numbers of errors (intro(2)), for C too.
#pragma once

#ifdef __cplusplus
extern "C" {
#endif
int* __error(void);
#ifdef __cplusplus
}
#endif
#define errno (*__error())

#define EPERM 1
#define ENOENT 2
#define EINTR 4
#define ENOMEM 12
#define EEXIST 17
#define EXDEV 18
#define ENOTDIR 20
#define EINVAL 22
#define EWOULDBLOCK 35
#define ELOOP 62
#define ENAMETOOLONG 63
#define ENOSYS 78
