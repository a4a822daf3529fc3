// No checks at run time (ISO C 7.2, with NDEBUG).
#pragma once

#define assert(condition) ((void)0)
#ifndef __cplusplus
#define static_assert _Static_assert
#endif
