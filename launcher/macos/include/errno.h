// The numbers of errors (intro(2)).
#pragma once

extern "C" int* __error();
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
