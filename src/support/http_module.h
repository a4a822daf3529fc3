#pragma once

extern "C" {

// A client for one web server. Names of errors are written into `why`, which has room for `http_why_size`
// bytes.
constexpr unsigned long http_why_size = 128;

/// `server`: scheme, host and port. Null where that is no address of a web server.
void* http_open(const char* server);
void http_close(void* client);

/// Gets what is at a path; `take` is called for each piece and returns 0 to stop. The answer's status; -1
/// where there is none.
int http_get(void* client, const char* path, int (*take)(void* taker, const char* data, unsigned long size),
             void* taker, char* why);

/// Puts it there. The answer's status; -1 where there is none.
int http_put(void* client, const char* path, const char* content, unsigned long size, char* why);
}
