// Reading of folders (directory(3)).
#pragma once

#include <sys/types.h>

struct DIR;
struct dirent {
    ino_t d_ino;
    uint64_t d_seekoff;
    uint16_t d_reclen;
    uint16_t d_namlen;
    uint8_t d_type;
    char d_name[1024];
};

extern "C" {
DIR* fdopendir(int folder) WITH_64_BIT_FILES("fdopendir");
dirent* readdir(DIR* stream) WITH_64_BIT_FILES("readdir");
int closedir(DIR* stream);
}
